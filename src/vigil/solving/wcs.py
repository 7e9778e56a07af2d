"""The linear tangent-plane fit (FITS WCS with a CD matrix)."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from vigil.sky.instants import Floats
from vigil.sky.tangent import deproject, project


@dataclass(frozen=True, slots=True)
class LinearWcs:
    """A tangent plane touching at the image's centre, 0-based pixel ((columns−1)/2, (rows−1)/2).

    `cd_deg_px` rows are east and north, columns the image's x (column) and y (row).
    """

    ra_deg: float
    dec_deg: float
    cd_deg_px: tuple[tuple[float, float], tuple[float, float]]
    shape: tuple[int, int]

    @property
    def scale_arcsec_px(self) -> float:
        """√|det CD|."""
        return float(np.sqrt(abs(np.linalg.det(np.array(self.cd_deg_px)))) * 3600)

    @property
    def position_angle_deg(self) -> float:
        """From north through east to the direction of increasing row, 0…360."""
        return float(np.degrees(np.arctan2(self.cd_deg_px[0][1], self.cd_deg_px[1][1])) % 360)

    @property
    def mirrored(self) -> bool:
        """True when, columns to the right and rows up, east lies clockwise from north."""
        return bool(np.linalg.det(np.array(self.cd_deg_px)) > 0)

    def to_sky(self, column: float | Floats, row: float | Floats) -> tuple[Floats, Floats]:
        """ICRS degrees of 0-based pixels."""
        rows, columns = self.shape
        x, y = np.subtract(column, (columns - 1) / 2), np.subtract(row, (rows - 1) / 2)
        (a, b), (c, d) = self.cd_deg_px
        return deproject(a * x + b * y, c * x + d * y, self.ra_deg, self.dec_deg)

    def to_pixel(self, ra_deg: float | Floats, dec_deg: float | Floats) -> tuple[Floats, Floats]:
        """0-based (column, row) of ICRS directions; NaN 90° away and more."""
        rows, columns = self.shape
        xi, eta = project(ra_deg, dec_deg, self.ra_deg, self.dec_deg)
        (a, b), (c, d) = np.linalg.inv(np.array(self.cd_deg_px))
        return a * xi + b * eta + (columns - 1) / 2, c * xi + d * eta + (rows - 1) / 2


def fit_wcs(
    column: Floats,
    row: Floats,
    ra_deg: Floats,
    dec_deg: Floats,
    shape: tuple[int, int],
    centre_deg: tuple[float, float],
) -> tuple[LinearWcs, NDArray[np.bool_], float]:
    """Least squares over matched stars, outliers over 3.5 robust sigmas left out.

    Returns the fit, the mask of stars kept, and the rms distance of those in arc-seconds. The tangent
    point is moved to the image's centre in a few rounds. Raises ValueError for fewer than three stars.
    """
    if len(column) < 3:
        raise ValueError(f"a WCS needs three matched stars, not {len(column)}")
    rows, columns = shape
    basis = np.column_stack([column - (columns - 1) / 2, row - (rows - 1) / 2, np.ones(len(column))])
    ra0, dec0 = centre_deg
    kept = np.ones(len(column), dtype=bool)
    coefficients: NDArray[np.floating] = np.zeros((3, 2))
    residual = np.zeros(len(column))
    for _ in range(6):
        plane = np.column_stack(project(ra_deg, dec_deg, ra0, dec0))
        coefficients = np.linalg.lstsq(basis[kept], plane[kept], rcond=None)[0]
        residual = np.hypot(*(plane - basis @ coefficients).T)
        # the distance of two-dimensional Gaussian scatter has its median at 1.177 sigma
        sigma = np.median(residual[kept]) / 1.1774
        kept = residual <= max(3.5 * sigma, 1e-6)
        if np.count_nonzero(kept) < 3:
            kept = np.ones(len(column), dtype=bool)
        ra, dec = deproject(coefficients[2, 0], coefficients[2, 1], ra0, dec0)
        ra0, dec0 = float(ra), float(dec)
    (a, c), (b, d) = coefficients[:2].tolist()
    rms_arcsec = float(np.sqrt(np.mean(residual[kept] ** 2)) * 3600)
    return LinearWcs(ra0, dec0, ((a, b), (c, d)), shape), kept, rms_arcsec
