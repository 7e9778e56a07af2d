"""What a file claims to hold, looked at before anything of it is loaded."""

import gzip
import io
import math
import re
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

_BLOCK = 2880
_MOST_HEADER_BLOCKS, _MOST_UNITS = 64, 64
MOST_PIXELS = 160_000_000
"""The largest sensors have 150 million."""
MOST_IMAGE_BYTES = 2 * MOST_PIXELS
MOST_UNPACKED_BYTES = MOST_IMAGE_BYTES + 1_000_000
_CARD = re.compile(rb"([A-Z0-9_-]{1,8}) *= *([^/]*)")
_BITPIX = frozenset({8, 16, 32, 64, -32, -64})


class BadClaim(ValueError):
    """A header that can't be true, or promises more than is loaded; the message says what."""


class NoImage(BadClaim):
    """The file is sound, and there is no image in it."""


@dataclass(frozen=True, slots=True)
class Claimed:
    """The first image of a FITS file: `packed` when it is compressed within it; `table` when there is a table
    before it, or nothing else. `stream` has the file, unpacked where it was zipped."""

    stream: BinaryIO
    packed: bool
    table: bool


def look_at_fits(path: Path) -> Claimed:
    """Raises BadClaim, OSError."""
    if not path.is_file():
        raise BadClaim("it is no file" if path.exists() else "there is no such file")
    with path.open("rb") as start:
        zipped = start.read(2) == b"\x1f\x8b"
    stream: BinaryIO = io.BytesIO(_unzipped(path)) if zipped else path.open("rb")
    size = stream.seek(0, io.SEEK_END)
    stream.seek(0)
    try:
        packed, table = _first_image(stream, size)
    except BadClaim:
        stream.close()
        raise
    stream.seek(0)
    return Claimed(stream, packed, table)


def look_at_table(path: Path) -> Claimed:
    """The same of a file in which a table is looked for; one with none is let through, to be told so."""
    try:
        return look_at_fits(path)
    except NoImage:
        return Claimed(path.open("rb"), packed=False, table=False)


def _unzipped(path: Path) -> bytes:
    """No more than is ever loaded, however small it was packed."""
    try:
        with gzip.open(path) as packed:
            data = packed.read(MOST_UNPACKED_BYTES + 1)
    except Exception as problem:  # zlib.error, EOFError and others
        raise BadClaim(f"its compression is damaged: {problem}") from None
    if len(data) > MOST_UNPACKED_BYTES:
        raise BadClaim(
            f"unpacked it has more than {MOST_UNPACKED_BYTES / 1e6:.0f} MB: nothing so large is read"
        )
    return data


def _first_image(stream: BinaryIO, size: int) -> tuple[bool, bool]:
    table = False
    for number in range(_MOST_UNITS):
        if size - stream.tell() < _BLOCK:
            if number == 0:
                raise BadClaim("not a FITS file: it is too short")
            if not table:
                raise NoImage("holds no image")
            return False, True
        cards = _cards(stream, number)
        sizes = [_whole(cards, f"NAXIS{n}", 0) for n in range(1, _axes(cards, "NAXIS") + 1)]
        bits = _whole(cards, "BITPIX", 8)
        if bits not in _BITPIX:
            raise BadClaim(f"not a FITS file: BITPIX {bits} is none of the standard's")
        groups, more = _whole(cards, "GCOUNT", 1), _whole(cards, "PCOUNT", 0)
        claimed = abs(bits) // 8 * groups * (more + (math.prod(sizes) if sizes else 0))
        left = size - stream.tell()
        if claimed > left:
            raise BadClaim(f"cut off: its header promises {claimed} bytes where {left} are left")
        kind = cards.get("XTENSION", "").strip("' ")
        if kind in ("", "IMAGE") and len(sizes) >= 2 and math.prod(sizes):
            _need_size(math.prod(sizes), claimed)
            return False, table
        if _whole(cards, "TFIELDS", 0) > 999:
            raise BadClaim("a table has at most 999 columns")
        if kind == "BINTABLE" and cards.get("ZIMAGE", "").startswith("T"):
            packed = [_whole(cards, f"ZNAXIS{n}", 0) for n in range(1, _axes(cards, "ZNAXIS") + 1)]
            _need_size(math.prod(packed), math.prod(packed) * abs(_whole(cards, "ZBITPIX", 8)) // 8)
            return True, table
        table = table or kind in ("BINTABLE", "TABLE")
        stream.seek(min(size, stream.tell() + -(-claimed // _BLOCK) * _BLOCK))
    raise BadClaim(f"holds no image among its first {_MOST_UNITS} parts")


def _need_size(pixels: int, claimed: int) -> None:
    if pixels > MOST_PIXELS or claimed > MOST_IMAGE_BYTES:
        raise BadClaim(
            f"an image of {pixels / 1e6:.0f} million pixels, {claimed / 1e6:.0f} MB: "
            f"at most {MOST_PIXELS / 1e6:.0f} million and {MOST_IMAGE_BYTES / 1e6:.0f} MB are read"
        )


def _cards(stream: BinaryIO, number: int) -> dict[str, str]:
    """Keyword to its value's text, of one header."""
    found: dict[str, str] = {}
    for block in range(_MOST_HEADER_BLOCKS):
        text = stream.read(_BLOCK)
        if len(text) < _BLOCK:
            raise BadClaim("its header has no end")
        if block == 0 and not text.startswith(b"SIMPLE  =" if number == 0 else b"XTENSION="):
            raise BadClaim("not a FITS file" if number == 0 else f"what follows part {number} is no FITS")
        for at in range(0, _BLOCK, 80):
            card = text[at : at + 80]
            if card.rstrip() == b"END":
                return found
            match = _CARD.match(card)
            if match is not None:
                key = match[1].decode("ascii")
                found.setdefault(key, match[2].decode("ascii", "replace").strip())
    raise BadClaim(f"its header is longer than {_MOST_HEADER_BLOCKS * _BLOCK} bytes")


def _axes(cards: dict[str, str], key: str) -> int:
    axes = _whole(cards, key, 0)
    if axes > 4:
        raise BadClaim(f"{key} {axes}: an image has at most 4 axes here")
    return axes


def _whole(cards: dict[str, str], key: str, otherwise: int) -> int:
    text = cards.get(key)
    if text is None:
        return otherwise
    try:
        value = int(text)
    except ValueError:
        raise BadClaim(f"{key} is {text[:20]!r}, not a whole number") from None
    if not -64 <= value <= 10**11:
        raise BadClaim(f"{key} is {value}: no file is so large")
    if value < 0 and not key.endswith("BITPIX"):
        raise BadClaim(f"{key} is {value}, less than nothing")
    return value
