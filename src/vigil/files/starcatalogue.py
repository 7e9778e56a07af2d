"""The star catalogue that ships with Vigil: memory-mapped tiles, see data/SOURCES.md."""

from functools import cache, cached_property
from importlib.resources import files
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from vigil.sky.angles import separation_deg
from vigil.sky.stars import SkyStars

if TYPE_CHECKING:
    from astropy_healpix import HEALPix

NSIDE, TILES = 32, 12
_CELLS_PER_TILE = NSIDE**2


class StarCatalogue:
    """Cone searches over 1.9 million stars to magnitude 12–13."""

    def __init__(self, folder: Path) -> None:
        counts = np.load(folder / "cell-counts.npy").reshape(TILES, _CELLS_PER_TILE)
        self._ends = np.cumsum(counts, axis=1)
        self._tiles = [np.load(folder / f"tile-{n:02d}.npy", mmap_mode="r") for n in range(TILES)]
        self._first_number = np.concatenate([[0], np.cumsum(self._ends[:, -1])])

    @cached_property
    def _healpix(self) -> "HEALPix":
        # it brings all of astropy's coordinates with it: a third of a second that no start should wait for
        from astropy_healpix import HEALPix

        return HEALPix(NSIDE, order="nested")

    @property
    def count(self) -> int:
        """Number of stars."""
        return int(self._first_number[-1])

    def cells_near(self, ra_deg: float, dec_deg: float, radius_deg: float) -> np.ndarray:
        """Nested nside-32 cells that touch a cone."""
        from astropy import units

        return np.sort(
            self._healpix.cone_search_lonlat(ra_deg * units.deg, dec_deg * units.deg, radius_deg * units.deg)
        )

    def cone(self, ra_deg: float, dec_deg: float, radius_deg: float) -> SkyStars:
        """All stars within `radius_deg` of a direction, in the catalogue's order (cell, magnitude)."""
        rows, numbers = [], []
        for cell in self.cells_near(ra_deg, dec_deg, radius_deg):
            tile, place = divmod(int(cell), _CELLS_PER_TILE)
            start = int(self._ends[tile, place - 1]) if place else 0
            end = int(self._ends[tile, place])
            rows.append(self._tiles[tile][start:end])
            numbers.append(np.arange(start, end) + self._first_number[tile])
        stars = np.concatenate(rows)
        found = SkyStars(
            stars["ra"] * 1e-7, stars["dec"] * 1e-7, stars["mag"] * 1e-3, np.concatenate(numbers)
        )
        return found.where(separation_deg(ra_deg, dec_deg, found.ra_deg, found.dec_deg) <= radius_deg)

    def everything(self) -> SkyStars:
        """All stars, in the catalogue's order."""
        stars = np.concatenate(self._tiles)
        return SkyStars(stars["ra"] * 1e-7, stars["dec"] * 1e-7, stars["mag"] * 1e-3, np.arange(len(stars)))

    def count_in(self, cell: int) -> int:
        """Number of stars in a nested nside-32 cell."""
        tile, place = divmod(cell, _CELLS_PER_TILE)
        return int(self._ends[tile, place] - (self._ends[tile, place - 1] if place else 0))

    def inside_cell(self, cell: int, dx: np.ndarray, dy: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """ICRS degrees of places in a cell, by their share 0…1 along its two sides."""
        ra, dec = self._healpix.healpix_to_lonlat(np.full(len(dx), cell), dx=dx, dy=dy)
        return ra.deg, dec.deg


@cache
def star_catalogue() -> StarCatalogue:
    """The catalogue in the package's data, opened once a process."""
    return StarCatalogue(Path(str(files("vigil") / "data" / "stars")))
