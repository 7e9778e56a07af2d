"""A deeper star catalogue of one's own, for fields where the one that ships runs out.

It is kept in the same tiles as the bundled one, so that it is searched the same way; stars that both have are
counted once.
"""

import csv
import json
from dataclasses import dataclass
from functools import lru_cache
from pathlib import Path
from typing import NamedTuple

import numpy as np
from astropy.io import fits
from scipy.spatial import cKDTree

from vigil.files.atomic import whole_folder
from vigil.files.claims import look_at_table
from vigil.files.starcatalogue import NSIDE, TILES, StarCatalogue, star_catalogue
from vigil.files.trouble import why
from vigil.sky.angles import parse_dec_deg, parse_ra_deg
from vigil.sky.stars import SkyStars
from vigil.solving.plane import unit_vectors

_SAME_ARCSEC = 2.0
_OWN_FROM = 1 << 40
_ROW = np.dtype([("ra", np.uint32), ("dec", np.int32), ("mag", np.int16)])
_NAMES = {
    "ra": ("ra_deg", "ra", "raj2000", "ra_icrs", "_ra", "alpha", "right ascension"),
    "dec": ("dec_deg", "dec", "dej2000", "de_icrs", "_de", "delta", "declination", "de"),
    "mag": ("mag", "gmag", "g", "vmag", "v", "phot_g_mean_mag", "magnitude", "rmag", "r"),
}


class BadCatalogue(ValueError):
    """A table that can't be used as a star catalogue; the message says what was wrong and where."""


@dataclass(frozen=True, slots=True)
class TakenStars:
    """What came of a table: stars taken over, and the rows left out with their reasons (the first few)."""

    stars: int
    left_out: int
    reasons: tuple[str, ...]
    faintest_mag: float


class _Rows(NamedTuple):
    """What a table holds of stars, and which of its rows are none."""

    source: str
    ra_deg: np.ndarray
    dec_deg: np.ndarray
    mag: np.ndarray
    reasons: tuple[str, ...]
    left_out: int


class Catalogues:
    """The bundled catalogue with one's own beside it; searched as one."""

    def __init__(self, bundled: StarCatalogue, own: StarCatalogue) -> None:
        self._bundled, self._own = bundled, own

    def cone(self, ra_deg: float, dec_deg: float, radius_deg: float) -> SkyStars:
        """All stars within `radius_deg` of a direction."""
        known = self._bundled.cone(ra_deg, dec_deg, radius_deg)
        more = self._own.cone(ra_deg, dec_deg, radius_deg)
        if len(more) == 0 or len(known) == 0:
            return more if len(known) == 0 else known
        reach = 2 * np.sin(np.radians(_SAME_ARCSEC / 3600) / 2)
        tree = cKDTree(unit_vectors(known.ra_deg, known.dec_deg))
        away, _ = tree.query(unit_vectors(more.ra_deg, more.dec_deg), distance_upper_bound=reach)
        more = more.where(np.isinf(away))
        return SkyStars(
            np.concatenate([known.ra_deg, more.ra_deg]),
            np.concatenate([known.dec_deg, more.dec_deg]),
            np.concatenate([known.mag, more.mag]),
            np.concatenate([known.number, more.number + _OWN_FROM]),
        )


def catalogue_of(own: Path | None) -> "StarCatalogue | Catalogues":
    """The bundled catalogue, with one's own from the folder `own` where there is one."""
    if own is None or not (own / "cell-counts.npy").is_file():
        return star_catalogue()
    return _both(own, (own / "cell-counts.npy").stat().st_mtime_ns)


@lru_cache(maxsize=2)
def _both(own: Path, changed_ns: int) -> Catalogues:
    return Catalogues(star_catalogue(), StarCatalogue(own))


def take_table(path: Path, own: Path, columns: dict[str, str] | None = None) -> TakenStars:
    """Read a CSV or FITS table of positions and magnitudes and tile it into the folder `own`, in place of
    what was there. `columns` names those for ra, dec and mag where they have unusual names.

    Raises BadCatalogue when nothing of it can be used, OSError when it can't be written.
    """
    read = _read_fits if path.suffix.lower().startswith(".fit") else _read_csv
    rows = read(path, columns or {})
    if len(rows.ra_deg) == 0:
        first = f": {rows.reasons[0]}" if rows.reasons else ""
        raise BadCatalogue(f"{path}: no row of it is a star{first}")
    _write_tiles(own, rows)
    return TakenStars(len(rows.ra_deg), rows.left_out, rows.reasons, float(rows.mag.max()))


def told(own: Path) -> dict[str, object] | None:
    """What one's own catalogue is: from which file, how many stars, how faint; None when there is none."""
    try:
        found = json.loads((own / "catalogue.json").read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return None
    return found if isinstance(found, dict) else None


def _column(path: Path, have: list[str], what: str, columns: dict[str, str]) -> str:
    by_small = {name.strip().lower(): name for name in have}
    wanted = columns.get(what)
    if wanted is not None:
        if wanted.lower() not in by_small:
            raise BadCatalogue(f"{path}: has no column {wanted!r}; it has {', '.join(have)}")
        return by_small[wanted.lower()]
    for name in _NAMES[what]:
        if name in by_small:
            return by_small[name]
    raise BadCatalogue(
        f"{path}: no column is named as one would expect for {what}; it has {', '.join(have) or 'none'}. "
        f"Say which one it is with --{what}"
    )


def _read_csv(path: Path, columns: dict[str, str]) -> _Rows:
    try:
        text = path.read_text(encoding="utf-8-sig")
    except OSError as problem:
        raise BadCatalogue(f"{path}: {why(problem)}") from None
    except UnicodeDecodeError:
        raise BadCatalogue(f"{path}: not a text file in UTF-8") from None
    table = csv.DictReader(text.splitlines())
    have = list(table.fieldnames or [])
    names = {what: _column(path, have, what, columns) for what in _NAMES}
    ra, dec, mag, reasons, left_out = [], [], [], [], 0
    for number, row in enumerate(table, start=2):
        try:
            values = (
                parse_ra_deg(row[names["ra"]]),
                parse_dec_deg(row[names["dec"]]),
                float(row[names["mag"]]),
            )
            if not -2 <= values[2] <= 30:
                raise ValueError(f"magnitude {values[2]:g} is outside −2…30")
        except (ValueError, TypeError, AttributeError) as problem:
            left_out += 1
            if len(reasons) < 20:
                reasons.append(f"line {number}: {problem}")
            continue
        for into, value in zip((ra, dec, mag), values, strict=True):
            into.append(value)
    return _Rows(path.name, np.array(ra), np.array(dec), np.array(mag), tuple(reasons), left_out)


def _read_fits(path: Path, columns: dict[str, str]) -> _Rows:
    try:
        with look_at_table(path).stream as stream, fits.open(stream, memmap=False, cache=False) as units:
            table = next((u for u in units if isinstance(u, fits.BinTableHDU | fits.TableHDU)), None)
            if table is None:
                raise BadCatalogue(f"{path}: holds no table")
            have = [str(name) for name in table.columns.names if name]
            names = {what: _column(path, have, what, columns) for what in _NAMES}
            ra, dec, mag = (np.asarray(table.data[names[what]], dtype=float) for what in ("ra", "dec", "mag"))
            if not ra.ndim == dec.ndim == mag.ndim == 1:
                raise BadCatalogue(f"{path}: ra, dec and mag must each hold one number a row, not several")
    except BadCatalogue:
        raise
    except Exception:  # whatever the library throws: it is the file's fault
        raise BadCatalogue(f"{path}: damaged, or no FITS table") from None
    good = (ra >= 0) & (ra < 360) & (np.abs(dec) <= 90) & (mag > -2) & (mag < 30)
    bad = np.flatnonzero(~good)
    reasons = [f"row {k + 1}: ra {ra[k]:g}, dec {dec[k]:g}, magnitude {mag[k]:g}" for k in bad[:20]]
    return _Rows(path.name, ra[good], dec[good], mag[good], tuple(reasons), int(bad.size))


def _write_tiles(own: Path, rows: _Rows) -> None:
    ra, dec, mag = rows.ra_deg, rows.dec_deg, rows.mag
    from astropy_healpix import healpy  # see files.starcatalogue

    cell = healpy.ang2pix(NSIDE, ra, dec, nest=True, lonlat=True)
    order = np.lexsort((mag, cell))
    packed = np.empty(len(ra), _ROW)
    packed["ra"] = np.rint(ra % 360 * 1e7).astype(np.uint64) % 3_600_000_000
    packed["dec"], packed["mag"] = np.rint(dec * 1e7), np.rint(mag * 1000)
    packed, cell = packed[order], cell[order]
    counts = np.bincount(cell, minlength=TILES * NSIDE**2).astype(np.int32)
    edges = np.concatenate([[0], np.cumsum(counts.reshape(TILES, -1).sum(axis=1))])
    summary = {"source": rows.source, "stars": len(ra), "faintest_mag": round(float(mag.max()), 2)}
    with whole_folder(own) as work:
        np.save(work / "cell-counts.npy", counts)
        for tile in range(TILES):
            np.save(work / f"tile-{tile:02d}.npy", packed[edges[tile] : edges[tile + 1]])
        (work / "catalogue.json").write_text(json.dumps(summary), encoding="utf-8")
