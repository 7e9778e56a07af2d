"""Filters by whatever people call them: OIII and O3, H-alpha and Ha are one."""

import re
from collections.abc import Iterable

_ALIKE = (
    ("ha", "halpha", "hα", "h"),
    ("hb", "hbeta", "hβ"),
    ("o3", "oiii"),
    ("s2", "sii"),
    ("n2", "nii"),
    ("l", "lum", "luminance"),
    ("r", "red"),
    ("g", "green"),
    ("b", "blue"),
)
_SHORT = {name: names[0] for names in _ALIKE for name in names}


def filter_key(name: str) -> str:
    """The same for all spellings of a filter's name."""
    plain = re.sub(r"[\s_\-\[\].]+", "", name.casefold())
    return _SHORT.get(plain, plain)


def same_filter(name: str, among: Iterable[str]) -> str | None:
    """What a rig calls the filter that somebody names; None where it has none such."""
    known = list(among)
    if name in known:
        return name
    return next((own for own in known if filter_key(own) == filter_key(name)), None)
