"""File and folder names that sort and explain themselves."""

import re
import unicodedata
from collections.abc import Callable, Mapping
from datetime import datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

USUAL_PATTERN = "{date}/{target}/{filter}/{target}_{rig}_{kind}_{filter}_{exposure}_{number}_{time}"
PATTERN_FIELDS = {
    "target": "IC-405",
    "panel": "1",
    "rig": "Heron-480",
    "kind": "light",
    "filter": "Ha",
    "date": "2027-01-12",
    "time": "213052",
    "exposure": "300s",
    "gain": "g100",
    "binning": "1x1",
    "temperature": "-10.0C",
    "focus": "f6012",
    "number": "0007",
}
"""What a naming pattern may hold in braces, each with an example."""


def evening_date(moment: datetime, zone: str) -> str:
    """The date that a night carries: from local noon to noon it is the evening's."""
    return (moment.astimezone(ZoneInfo(zone)) - timedelta(hours=12)).date().isoformat()


_PLAINLY = str.maketrans(
    {
        "α": "alpha", "β": "beta", "γ": "gamma", "δ": "delta", "ε": "epsilon", "ζ": "zeta", "η": "eta",
        "θ": "theta", "λ": "lambda", "μ": "mu", "π": "pi", "ρ": "rho", "σ": "sigma", "τ": "tau", "φ": "phi",
        "χ": "chi", "ψ": "psi", "ω": "omega", "’": "'", "‘": "'", "“": '"', "”": '"', "–": "-", "—": "-",
        "−": "-", "×": "x", "·": " ", "°": " deg", "′": "'", "″": '"', "ß": "ss", "æ": "ae", "ø": "o",
        "ł": "l",
    }
)  # fmt: skip
_LONGEST_PIECE = 80
"""Of a file's or folder's name: file systems take 255 bytes, and a name has several pieces."""


def plain_ascii(text: str) -> str:
    """Text as FITS cards take it: accents off, Greek letters by their names, what is left over as "?"."""
    bare = unicodedata.normalize("NFKD", text.translate(_PLAINLY))
    kept = (c for c in bare if not unicodedata.combining(c))
    return "".join(c if " " <= c <= "~" else " " if c.isspace() else "?" for c in kept).strip()


def safe(text: str) -> str:
    """Text fit for any file system: letters, digits, dot, plus, minus; the rest becomes a hyphen."""
    return _fit(text).strip("-.") or "unnamed"


def _fit(text: str) -> str:
    fit = re.sub(r"[^\w.+-]+", "-", text.strip()).strip(".")
    return fit if len(fit) <= _LONGEST_PIECE else fit[:_LONGEST_PIECE].strip(".-")


def check_pattern(pattern: str) -> None:
    """Raises ValueError for a naming pattern that can't be used, saying what would be right."""
    for name in re.findall(r"\{([^{}]*)\}", pattern):
        if name not in PATTERN_FIELDS:
            raise ValueError(f"there is no field {{{name}}}; use {', '.join(PATTERN_FIELDS)}")
    bare = re.sub(r"\{[^{}]*\}", "", pattern)
    if "{" in bare or "}" in bare:
        raise ValueError("a brace is not closed; fields are written as {target}")
    pieces = pattern.split("/")
    if pattern.startswith("/") or ".." in pieces or not all(piece.strip() for piece in pieces):
        raise ValueError("the pattern is a path below the folder, with no empty piece and no ..")


def frame_path(
    folder: Path, pattern: str, values: Mapping[str, str], taken: Callable[[Path], bool] = Path.exists
) -> Path:
    """The pattern filled in below the folder; a name that is taken gets -2, -3 … at its end.

    What a frame has no value for leaves no doubled separators. Raises ValueError as check_pattern.
    """
    check_pattern(pattern)
    pieces = []
    for piece in pattern.split("/"):
        filled = re.sub(r"\{(\w+)\}", lambda found: _fit(values.get(found[1], "")), piece)
        tidy = re.sub(r"_{2,}", "_", filled).strip("_. ")
        if tidy:
            pieces.append(tidy)
    whole = folder.joinpath(*pieces[:-1]) / ((pieces or ["frame"])[-1] + ".fits")
    path, count = whole, 1
    while taken(path):
        count += 1
        path = whole.with_name(f"{whole.stem}-{count}.fits")
    return path


def example_path(pattern: str) -> str:
    """What the pattern makes of the examples. Raises ValueError as check_pattern."""
    return str(frame_path(Path(), pattern, PATTERN_FIELDS, lambda path: False))
