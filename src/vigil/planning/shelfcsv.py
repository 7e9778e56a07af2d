"""The shelf as CSV: out in Vigil's own columns, in from these or from any spreadsheet's list of targets."""

import csv
import io
import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from pydantic import ValidationError

from vigil.documents.filternames import same_filter
from vigil.documents.ids import unused
from vigil.documents.plan import ExposureLine
from vigil.documents.refusal import explain, in_words
from vigil.documents.rig import Rig
from vigil.documents.shelf import Framed, Framing, Shelf
from vigil.files.deepsky import UnknownObject, find_object
from vigil.planning.framing import disagreement
from vigil.sky.angles import parse_dec_deg, parse_ra_deg

COLUMNS = (
    "name",
    "ra_deg",
    "dec_deg",
    "position_angle_deg",
    "columns",
    "rows",
    "overlap_percent",
    "lines",
    "set_point_c",
    "tags",
    "note",
)
"""What `to_csv` writes. Lines are "Ha 300 s × 12; OIII 300 s × 12", tags are divided by semicolons."""

# other names that spreadsheets use, in small letters without blanks
_ALSO = {
    "name": ("target", "object", "objectname", "targetname", "id", "designation", "title"),
    "ra_deg": ("ra", "raj2000", "rightascension", "alpha", "ra(j2000)", "rahms", "ra(deg)", "ra_hours"),
    "dec_deg": ("dec", "decl", "dej2000", "declination", "delta", "dec(j2000)", "decdms", "dec(deg)", "de"),
    "position_angle_deg": ("pa", "angle", "rotation", "positionangle", "cameraangle", "orientation"),
    "columns": ("panelsx", "panelswide", "across"),
    "rows": ("panelsy", "panelshigh", "down"),
    "overlap_percent": ("overlap", "overlap%"),
    "lines": ("exposures", "exposurelines"),
    "set_point_c": ("temperature", "setpoint", "temp", "cooling"),
    "tags": ("tag", "labels", "group"),
    "note": ("notes", "comment", "comments", "remark"),
}
_LINE = re.compile(
    r"^(?:(?P<filter>[^\d].*?)\s+)?(?P<seconds>\d+(?:\.\d+)?)\s*s?\s*(?:[x×*]\s*(?P<count>\d+))?$",
    re.IGNORECASE,
)


class ColumnsUnclear(ValueError):
    """The list's columns aren't understood; `have` are its own, `missing` those that must be told, `known`
    those that were understood (ours to theirs)."""

    def __init__(self, have: list[str], missing: list[str], known: Mapping[str, str]) -> None:
        self.have, self.missing, self.known = have, missing, dict(known)
        super().__init__(
            f"no column is understood as {' or '.join(missing)}; the list has {', '.join(have) or 'none'}: "
            "say which one is which"
        )


@dataclass(frozen=True, slots=True)
class Read:
    """What came of a list: framed targets, rows left out with their reasons, and doubts about rows that were
    taken."""

    framed: tuple[Framed, ...]
    left_out: tuple[str, ...]
    doubts: tuple[str, ...]


def to_csv(shelf: Shelf) -> str:
    """All framed targets, a row each."""
    out = io.StringIO()
    table = csv.writer(out, lineterminator="\n")
    table.writerow(COLUMNS)
    for f in shelf.framed:
        g = f.framing
        table.writerow(
            [
                f.name,
                f"{g.ra_deg:.6f}",
                f"{g.dec_deg:.6f}",
                f"{g.position_angle_deg:.3f}",
                g.columns,
                g.rows,
                f"{g.overlap_percent:g}",
                "; ".join(f"{line.words} × {line.count}" for line in f.lines),
                "" if f.set_point_c is None else f"{f.set_point_c:g}",
                "; ".join(f.tags),
                f.note,
            ]
        )
    return out.getvalue()


def from_csv(text: str, unused_id: Callable[[str], str], columns: Mapping[str, str] | None = None) -> Read:
    """Framed targets from a list. `columns` says which of the list's columns is which of ours where its names
    aren't understood. A row needs a name that the catalogue knows, or a position.

    Raises ColumnsUnclear, and ValueError for text that is no table.
    """
    dialect: type[csv.Dialect] | csv.Dialect = csv.excel
    first = text.lstrip("\ufeff").split("\n", 1)[0]
    if not first.strip():
        raise ValueError("the list is empty: its first line must name the columns")
    divider = max(",;\t", key=first.count)
    table = csv.DictReader(io.StringIO(text.lstrip("\ufeff")), dialect=dialect, delimiter=divider)
    have = [name for name in (table.fieldnames or []) if name]
    known = _understood(have, columns or {})
    missing = [ours for ours in ("ra_deg", "dec_deg") if ours not in known]
    if len(missing) == 1 or (missing and "name" not in known):
        raise ColumnsUnclear(have, missing if "name" in known else ["name", *missing], known)
    framed, left_out, doubts = [], [], []
    given: set[str] = set()
    for row in table:
        place = f"line {table.line_num}"
        values = {ours: (row.get(theirs) or "").strip() for ours, theirs in known.items()}
        if not any(values.values()):
            continue
        try:
            made = _framed(values, known.get("ra_deg", ""))
        except ValidationError as problem:
            left_out.append(f"{place}: {explain(problem)[0]}")
            continue
        except (ValueError, UnknownObject) as problem:
            left_out.append(f"{place}: {problem}")
            continue
        own = unused(unused_id(made.name), given)
        given.add(own)
        framed.append(made.model_copy(update={"id": own}))
        doubt = disagreement(made.name, made.framing.ra_deg, made.framing.dec_deg)
        if doubt:
            doubts.append(f"{place}: {doubt}")
    return Read(tuple(framed), tuple(left_out), tuple(doubts))


def _understood(have: list[str], told: Mapping[str, str]) -> dict[str, str]:
    """Ours to theirs."""
    by_small = {re.sub(r"\s+", "", name.casefold()): name for name in reversed(have)}
    known = {}
    for ours in COLUMNS:
        if ours in told:
            if told[ours] not in have:
                raise ValueError(f"the list has no column {told[ours]!r}; it has {', '.join(have)}")
            known[ours] = told[ours]
            continue
        theirs = next((by_small[n] for n in (ours, *_ALSO[ours]) if n in by_small), None)
        if theirs is not None:
            known[ours] = theirs
    return known


def _framed(values: dict[str, str], ra_column: str) -> Framed:
    name = values.get("name", "")
    ra_text, dec_text = values.get("ra_deg", ""), values.get("dec_deg", "")
    if ra_text and dec_text:
        hours = "hour" in ra_column.casefold() and re.fullmatch(r"[\d.]+", ra_text)
        ra, dec = parse_ra_deg(f"{ra_text}h" if hours else ra_text), parse_dec_deg(dec_text)
    elif name:
        entry = find_object(name)
        ra, dec = entry.ra_deg, entry.dec_deg
    else:
        raise ValueError("neither a name nor a position")
    framing = Framing.model_validate(
        {
            "ra_deg": ra,
            "dec_deg": dec,
            **{
                key: _number(values[key], key) % 360
                if key == "position_angle_deg"
                else _number(values[key], key)
                for key in ("position_angle_deg", "columns", "rows", "overlap_percent")
                if values.get(key)
            },
        }
    )
    set_point = values.get("set_point_c")
    return Framed(
        id="new",
        name=name or f"{ra:.4f} {dec:+.4f}",
        framing=framing,
        lines=parse_lines(values.get("lines", "")),
        set_point_c=_number(set_point, "set_point_c") if set_point else None,
        tags=[t.strip() for t in re.split(r"[;,]", values.get("tags", "")) if t.strip()],
        note=values.get("note", ""),
    )


def _number(text: str, what: str) -> float:
    try:
        return float(re.sub(r"[°%\s]|C$", "", text).replace("−", "-").replace(",", "."))
    except ValueError:
        raise ValueError(f"{what}: {text!r} is not a number") from None


def parse_lines(text: str, rig: Rig | None = None) -> list[ExposureLine]:
    """Exposure lines from "Ha 300 s × 12; OIII 300 s × 12", filters named as the rig names them where one is
    given. Raises ValueError for a piece that isn't one, and for a filter that the rig lacks."""
    lines = []
    for n, piece in enumerate((p.strip() for p in text.split(";") if p.strip()), start=1):
        found = _LINE.match(piece)
        if found is None:
            raise ValueError(f"{piece!r} is no exposure line; write for example Ha 300 s × 12")
        name = (found["filter"] or "").strip()
        if re.search(r"\d ?(min|h|m)\b", name):
            raise ValueError(f"{piece!r}: write the exposure in seconds, for example Ha 300 s × 12")
        exposure_s, count = float(found["seconds"]), int(found["count"] or 1)
        try:
            line = ExposureLine(id=f"line-{n}", filter=name, exposure_s=exposure_s, count=count)
        except ValidationError as problem:
            raise ValueError(f"{piece!r}: {in_words(problem)}") from None
        lines.append(line if rig is None else _through(line, rig))
    return lines


def example_lines(rig: Rig) -> str:
    """What lines of this rig may look like."""
    names = [same_filter(name, rig.filter_names) for name in ("Ha", "L")]
    known = [name for name in names if name] or rig.filter_names[:1] or [""]
    return "; ".join(
        f"{name} {seconds} s × {count}".strip()
        for name, (seconds, count) in zip(known, ((300, 12), (120, 30)), strict=False)
    )


def _through(line: ExposureLine, rig: Rig) -> ExposureLine:
    names = rig.filter_names
    if not line.filter or not names:
        return line
    own = same_filter(line.filter, names)
    if own is None:
        raise ValueError(f"{rig.name} has no filter {line.filter!r}; it has {', '.join(names)}")
    return line.model_copy(update={"filter": own})
