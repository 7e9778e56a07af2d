"""Ids made from names, each once."""

from collections.abc import Container
from itertools import count


def stem_of(name: str) -> str:
    """A name's letters and digits, in small: "NGC 1499" gives "ngc1499"."""
    return "".join(c for c in name.casefold() if c.isalnum()) or "target"


def unused(stem: str, taken: Container[str]) -> str:
    """The stem, or with the first number from 2 on that makes it an id of its own."""
    if stem not in taken:
        return stem
    return next(own for n in count(2) if (own := f"{stem}-{n}") not in taken)
