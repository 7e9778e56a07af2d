"""The tangent-plane fit: a CD matrix (Calabretta & Greisen 2002), with low-order distortion as SIP
polynomials (Shupe et al. 2005, ASP Conf. Ser. 347, 491) where the stars support it."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from vigil.sky.instants import Floats
from vigil.sky.tangent import deproject, project

# stars asked for before a distortion of an order is looked for at all
_STARS_FOR_ORDER = {2: 18, 3: 36}
# below this a full matrix would follow the noise: scale and rotation alone are fitted
_STARS_FOR_MATRIX = 9
# a distortion must explain this much of the scatter beyond what more coefficients always do
_WORTH = 0.08
_ROUNDS, _SETTLED_PX = 8, 1e-4
_INVERSE_ROUNDS, _INVERSE_PX = 20, 1e-7


@dataclass(frozen=True, slots=True)
class Sip:
    """Distortion of an order: the true place on the pixel grid is (u + Σ a uⁱvʲ, v + Σ b uⁱvʲ) where (u, v)
    is the seen one from the image's centre, pixels, and 2 ≤ i + j ≤ order, in the order of `powers`."""

    order: int
    a: tuple[float, ...]
    b: tuple[float, ...]

    @property
    def powers(self) -> list[tuple[int, int]]:
        """(i, j) of each coefficient."""
        return sip_powers(self.order)

    def shift(self, u: Floats, v: Floats) -> tuple[Floats, Floats]:
        """What is added to (u, v)."""
        terms = np.stack([u**i * v**j for i, j in self.powers])
        return np.tensordot(self.a, terms, 1), np.tensordot(self.b, terms, 1)


def sip_powers(order: int) -> list[tuple[int, int]]:
    """Powers (i, j) of u and v from the second order up to `order`."""
    return [(total - j, j) for total in range(2, order + 1) for j in range(total + 1)]


@dataclass(frozen=True, slots=True)
class Wcs:
    """A tangent plane touching at the image's centre, 0-based pixel ((columns−1)/2, (rows−1)/2).

    `cd_deg_px` rows are east and north, columns the image's x (column) and y (row). `sip` is the
    distortion, if one was found.
    """

    ra_deg: float
    dec_deg: float
    cd_deg_px: tuple[tuple[float, float], tuple[float, float]]
    shape: tuple[int, int]
    sip: Sip | None = None

    @property
    def scale_arcsec_px(self) -> float:
        """√|det CD|, at the centre."""
        return float(np.sqrt(abs(np.linalg.det(np.array(self.cd_deg_px)))) * 3600)

    @property
    def position_angle_deg(self) -> float:
        """From north through east to the direction of increasing row at the centre, 0…360."""
        return float(np.degrees(np.arctan2(self.cd_deg_px[0][1], self.cd_deg_px[1][1])) % 360)

    @property
    def mirrored(self) -> bool:
        """True when, columns to the right and rows up, east lies clockwise from north."""
        return bool(np.linalg.det(np.array(self.cd_deg_px)) > 0)

    @property
    def field_deg(self) -> tuple[float, float]:
        """Width (columns) and height (rows) at the centre's scale."""
        rows, columns = self.shape
        return columns * self.scale_arcsec_px / 3600, rows * self.scale_arcsec_px / 3600

    def to_sky(self, column: float | Floats, row: float | Floats) -> tuple[Floats, Floats]:
        """ICRS degrees of 0-based pixels."""
        rows, columns = self.shape
        u = np.asarray(np.subtract(column, (columns - 1) / 2), dtype=float)
        v = np.asarray(np.subtract(row, (rows - 1) / 2), dtype=float)
        if self.sip is not None:
            du, dv = self.sip.shift(u, v)
            u, v = u + du, v + dv
        (a, b), (c, d) = self.cd_deg_px
        return deproject(a * u + b * v, c * u + d * v, self.ra_deg, self.dec_deg)

    def to_pixel(self, ra_deg: float | Floats, dec_deg: float | Floats) -> tuple[Floats, Floats]:
        """0-based (column, row) of ICRS directions; NaN 90° away and more.

        The distortion is undone by iteration; outside the image, where a polynomial means nothing, it is left
        as it is at the nearest border.
        """
        rows, columns = self.shape
        xi, eta = project(ra_deg, dec_deg, self.ra_deg, self.dec_deg)
        (a, b), (c, d) = np.linalg.inv(np.array(self.cd_deg_px))
        u, v = a * xi + b * eta, c * xi + d * eta
        if self.sip is not None:
            u, v = _undistort(self.sip, u, v, columns / 2, rows / 2)
        return u + (columns - 1) / 2, v + (rows - 1) / 2

    def upside_down(self) -> "Wcs":
        """The same for rows counted from the other end."""
        (a, b), (c, d) = self.cd_deg_px
        sip = self.sip
        if sip is not None:
            signs = [(-1.0) ** j for _, j in sip.powers]
            sip = Sip(
                sip.order,
                tuple(s * value for s, value in zip(signs, sip.a, strict=True)),
                tuple(-s * value for s, value in zip(signs, sip.b, strict=True)),
            )
        return replace(self, cd_deg_px=((a, -b), (c, -d)), sip=sip)

    def outline(self) -> list[tuple[float, float]]:
        """(ra_deg, dec_deg) of the image's four corners, from the first pixel round."""
        rows, columns = self.shape
        x = np.array([-0.5, columns - 0.5, columns - 0.5, -0.5])
        y = np.array([-0.5, -0.5, rows - 0.5, rows - 0.5])
        ra, dec = self.to_sky(x, y)
        return list(zip(ra.tolist(), dec.tolist(), strict=True))


def similarity(ra_deg: float, dec_deg: float, turn: complex, mirrored: bool, shape: tuple[int, int]) -> Wcs:
    """A WCS of scale |turn| (degrees a pixel) and rotation, for images of either hand: with `hands` the
    plane, east + i north, is turn times the image."""
    p, q = turn.real, turn.imag
    cd = ((p, -q), (q, p)) if mirrored else ((-p, -q), (-q, p))
    return Wcs(ra_deg, dec_deg, cd, shape)


def _undistort(sip: Sip, u: Floats, v: Floats, half_u: float, half_v: float) -> tuple[Floats, Floats]:
    seen_u, seen_v = np.array(u, dtype=float), np.array(v, dtype=float)
    for _ in range(_INVERSE_ROUNDS):
        du, dv = sip.shift(np.clip(seen_u, -half_u, half_u), np.clip(seen_v, -half_v, half_v))
        moved = np.nanmax(
            np.abs(np.concatenate([np.ravel(u - du - seen_u), np.ravel(v - dv - seen_v)])), initial=0
        )
        seen_u, seen_v = u - du, v - dv
        if moved < _INVERSE_PX:
            break
    return seen_u, seen_v


@dataclass(frozen=True, slots=True)
class Fit:
    """A fitted WCS with what is left: `kept` (n,) marks the stars that were used, `dx_px`, `dy_px` (n,) are
    seen minus predicted, `rms_px` the root mean square distance of the kept ones. `parameters` counts the
    numbers fitted."""

    wcs: Wcs
    kept: NDArray[np.bool_]
    dx_px: Floats
    dy_px: Floats
    parameters: int

    @property
    def rms_px(self) -> float:
        return float(np.sqrt(np.mean(self.dx_px[self.kept] ** 2 + self.dy_px[self.kept] ** 2)))

    @property
    def rms_arcsec(self) -> float:
        return self.rms_px * self.wcs.scale_arcsec_px


def fit_wcs(
    column: Floats,
    row: Floats,
    ra_deg: Floats,
    dec_deg: Floats,
    shape: tuple[int, int],
    centre_deg: tuple[float, float],
    highest_order: int = 1,
) -> Fit:
    """Robust least squares over matched stars: outliers over 3.5 robust sigmas are left out.

    The tangent point is moved to the image's centre in a few rounds. Few stars get scale and rotation only;
    many get a distortion up to `highest_order` where that explains what is left. Raises ValueError for
    fewer than three stars.
    """
    if len(column) < 3:
        raise ValueError(f"a WCS needs three matched stars, not {len(column)}")
    best = _fit(column, row, ra_deg, dec_deg, shape, centre_deg, 1)
    for order in range(2, highest_order + 1):
        if np.count_nonzero(best.kept) < _STARS_FOR_ORDER[order]:
            break
        centre = best.wcs.ra_deg, best.wcs.dec_deg
        bent = _fit(column, row, ra_deg, dec_deg, shape, centre, order)
        if _variance(bent) < (1 - _WORTH) * _variance(best):
            best = bent
    return best


def _variance(fit: Fit) -> float:
    """Of one coordinate, over all stars but with a ceiling for outliers, freedom counted."""
    squares = fit.dx_px**2 + fit.dy_px**2
    ceiling = 9 * np.median(squares)
    return float(np.minimum(squares, ceiling).sum() / max(2 * len(squares) - fit.parameters, 1))


def _fit(
    column: Floats,
    row: Floats,
    ra_deg: Floats,
    dec_deg: Floats,
    shape: tuple[int, int],
    centre_deg: tuple[float, float],
    order: int,
) -> Fit:
    rows, columns = shape
    u, v = column - (columns - 1) / 2, row - (rows - 1) / 2
    # powers of numbers near 1 keep the matrix well conditioned
    unit = max(rows, columns) / 2
    higher = [(u / unit) ** i * (v / unit) ** j for i, j in sip_powers(order)]
    basis = np.column_stack([u / unit, v / unit, np.ones(len(u)), *higher])
    ra0, dec0 = centre_deg
    kept = np.ones(len(u), dtype=bool)
    whole = len(u) >= _STARS_FOR_MATRIX
    coefficients: NDArray[np.floating] = np.zeros((basis.shape[1], 2))
    dx = dy = np.zeros(len(u))
    before = np.zeros(len(u), dtype=bool)
    for _ in range(_ROUNDS):
        plane = np.column_stack(project(ra_deg, dec_deg, ra0, dec0))
        if whole:
            coefficients = np.linalg.lstsq(basis[kept], plane[kept], rcond=None)[0]
        else:
            coefficients = _similarity(basis[kept], plane[kept])
        linear = coefficients[:2] / unit
        left = np.linalg.solve(linear.T, (basis @ coefficients - plane).T)
        dx, dy = left[0], left[1]
        distance = np.hypot(dx, dy)
        # the distance of two-dimensional Gaussian scatter has its median at 1.177 sigma
        sigma = np.median(distance[kept]) / 1.1774
        kept = distance <= max(3.5 * sigma, 1e-6)
        if np.count_nonzero(kept) < 3:
            kept = np.ones(len(u), dtype=bool)
        ra, dec = deproject(coefficients[2, 0], coefficients[2, 1], ra0, dec0)
        moved_px = float(np.abs(np.linalg.solve(linear.T, coefficients[2])).max())
        ra0, dec0 = float(ra), float(dec)
        if moved_px < _SETTLED_PX and np.array_equal(kept, before):
            break
        before = kept
    (a, c), (b, d) = (coefficients[:2] / unit).tolist()
    wcs = Wcs(ra0, dec0, ((a, b), (c, d)), shape)
    if order > 1:
        wcs = replace(wcs, sip=_sip(np.asarray(coefficients[3:], float), order, unit, wcs))
    return Fit(wcs, kept, dx, dy, 4 if not whole else coefficients.size)


def _similarity(basis: Floats, plane: Floats) -> Floats:
    """Scale, rotation and shift of either handedness, whichever fits better; as coefficients of `basis`."""
    best, least = np.zeros((3, 2)), np.inf
    u, v, one = basis[:, 0], basis[:, 1], basis[:, 2]
    nothing = np.zeros_like(u)
    for hand in (1.0, -1.0):
        # xi = p u − hand q v + s, eta = q u + hand p v + t
        matrix = np.concatenate(
            [
                np.column_stack([u, -hand * v, one, nothing]),
                np.column_stack([hand * v, u, nothing, one]),
            ]
        )
        wanted = np.concatenate([plane[:, 0], plane[:, 1]])
        p, q, s, t = np.linalg.lstsq(matrix, wanted, rcond=None)[0]
        left = float(np.sum((matrix @ [p, q, s, t] - wanted) ** 2))
        if left < least:
            best, least = np.array([[p, q], [-hand * q, hand * p], [s, t]]), left
    return best


def _sip(higher: Floats, order: int, unit: float, wcs: Wcs) -> Sip:
    """The polynomial in the plane, turned back to pixels."""
    powers = sip_powers(order)
    plain = higher / np.array([[unit ** (i + j)] for i, j in powers])
    pixel = np.linalg.solve(np.array(wcs.cd_deg_px), plain.T)
    return Sip(order, tuple(pixel[0].tolist()), tuple(pixel[1].tolist()))
