"""Frames as the camera would give them."""

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray
from scipy.ndimage import gaussian_filter

from vigil.optics.train import defocus_disc_um
from vigil.simulator.above.deepsky import Source
from vigil.simulator.above.stars import true_stars
from vigil.simulator.chance import generator
from vigil.simulator.frame.evenlight import (
    GRID_PX,
    Grid,
    brightness,
    dimming,
    even_light,
    grid_of,
    shading,
    shape_at,
    shares_of,
    sources_of,
)
from vigil.simulator.frame.noise import Tile, read_out
from vigil.simulator.frame.noisebank import counted
from vigil.simulator.frame.psf import OVERSAMPLING, PHASES, Spot, points_on, put_down, smear, stamps
from vigil.simulator.frame.scene import Floats, Scene, Sky, radius_deg, to_pixels

_BRIGHT_ELECTRONS = 60_000.0
# small stamps are put down so many at a time
_AT_ONCE, _SMALL_HALF = 1000, 12
_STAMP_HALF = 100
# objects up to this half size are drawn pixel by pixel, larger ones on the coarse grid; clouds are soft
_LARGE_PX, _LARGE_CLOUD_PX = 300.0, 20.0
_MARGIN_DEG = 0.02
_FWHM_PER_SIGMA = 2.3548


def draw(scene: Scene) -> NDArray[np.uint16]:
    """The region of the frame that is read, [row, column], row 0 at the bottom."""
    sensor, region = scene.sensor, scene.sensor.whole
    dark_e = sensor.dark_e_s * sensor.binning**2 * scene.exposure_s
    grid = grid_of(scene)
    shade, dims = shading(scene, grid), dimming(scene, grid)
    sharp: NDArray[np.float32] | None = None
    large: list[Source] = []
    if scene.sky is not None:
        sharp = np.zeros((region.rows, region.columns), np.float32)
        large = _add_small_objects(sharp, scene, sources_of(scene), shade * dims, grid)
        _add_stars(sharp, scene, scene.sky, grid, shade * dims)
    layers = even_light(scene, grid, shade, dims, large)
    if sharp is not None:
        for kind, place in _kinds(scene):
            sharp[place] *= np.float32(shares_of(sensor.bayer, sensor.binning)[kind][0])
    hot = _hot_pixels(scene, dark_e)
    rows_factor = _bands(scene)

    def mean_of(tile: Tile) -> NDArray[np.float32]:
        mean = np.empty((tile[0].stop - tile[0].start, tile[1].stop - tile[1].start), np.float32)
        for kind, place in _kinds(scene, tile):
            mean[place] = _between_nodes(layers[kind], tile)[place]
        if rows_factor is not None:
            mean *= rows_factor[tile[0], np.newaxis]
        mean += np.float32(dark_e)
        if sharp is not None:
            mean += sharp[tile]
        if hot is not None:
            _put_hot(mean, tile, *hot)
        return mean

    shape, banked = (region.rows, region.columns), sensor.often and sensor.noise
    return read_out(mean_of, shape, sensor, generator(*scene.noise_key), counted if banked else None)


def _between_nodes(values: Floats, tile: Tile) -> NDArray[np.float32]:
    """A tile of the region from the coarse nodes, straight lines in between. Tiles begin on nodes."""
    rows, columns = (slice(piece.start // GRID_PX, (piece.stop - 1) // GRID_PX + 2) for piece in tile)
    height, width = (piece.stop - piece.start for piece in tile)
    nodes = values[rows, columns].astype(np.float32)
    return _lines(_lines(nodes)[:height].T)[:width].T


def _lines(nodes: NDArray[np.float32]) -> NDArray[np.float32]:
    """Along the first axis GRID_PX values for each gap between nodes."""
    share = (np.arange(GRID_PX, dtype=np.float32) / GRID_PX)[np.newaxis, :, np.newaxis]
    between = nodes[:-1, np.newaxis] * (1 - share) + nodes[1:, np.newaxis] * share
    return between.reshape(-1, nodes.shape[1])


def _kinds(scene: Scene, tile: Tile | None = None) -> list[tuple[str, Tile]]:
    """The pixels of each colour; binned pixels, and those of a mono sensor, are of one kind."""
    sensor, region = scene.sensor, scene.sensor.whole
    if sensor.bayer is None or sensor.binning > 1:
        return [("", (slice(None), slice(None)))]
    top = region.bottom + (tile[0].start if tile else 0)
    left = region.left + (tile[1].start if tile else 0)
    return [
        (sensor.bayer[n], (slice((n // 2 - top) % 2, None, 2), slice((n % 2 - left) % 2, None, 2)))
        for n in range(4)
    ]


def _add_stars(sharp: NDArray[np.float32], scene: Scene, sky: Sky, grid: Grid, left: Floats) -> None:
    reach = radius_deg(scene) + _MARGIN_DEG
    aim = scene.aim
    stars = true_stars(aim.ra_deg, aim.dec_deg, reach, sky.seed, sky.faint_to_mag, sky.catalogue_errors)
    column, row, mass = to_pixels(stars.ra_deg, stars.dec_deg, scene)
    known = np.isfinite(column)
    if not known.any():
        return
    column, row, mass, mag = column[known], row[known], mass[known], stars.mag[known]
    light = scene.light.star_e_s(mag, mass) * scene.exposure_s * grid.at(left, column, row)
    disc_px = _disc_px(scene, column, row)
    region = scene.sensor.whole
    column, row = column - region.left, row - region.bottom
    # what can't reach a quarter of an electron in its brightest pixel is not drawn
    seen = light > 0.5 * np.maximum(1.0, scene.blur.fwhm_px**2 + disc_px**2)
    for disc in np.unique(disc_px[seen]):
        spot = _spot(scene, float(disc))
        for bright in (False, True):
            chosen = seen & (disc_px == disc) & ((light > _BRIGHT_ELECTRONS) == bright)
            if not chosen.any():
                continue
            half = spot.half_px(bright)
            if half > _STAMP_HALF:
                _smear_all(sharp, column[chosen], row[chosen], light[chosen], spot, half)
                continue
            _stamp_all(
                sharp,
                column[chosen],
                row[chosen],
                light[chosen].astype(np.float32),
                stamps(spot, half),
                half,
            )


def _disc_px(scene: Scene, column: Floats, row: Floats) -> Floats:
    """Size of the out-of-focus ring at places of the frame, in steps that don't show: the focal plane is
    missed by the centre's defocus, the sensor's tilt and the field's curvature."""
    blur, sensor = scene.blur, scene.sensor
    rows, columns = sensor.shape
    x, y = 2 * column / columns - 1, 2 * row / rows - 1
    corner2 = (x**2 * columns**2 + y**2 * rows**2) / (columns**2 + rows**2)
    missed_um = blur.defocus_um + blur.tilt_um[0] * x + blur.tilt_um[1] * y + blur.curvature_um * corner2
    disc = defocus_disc_um(1.0, blur.focal_ratio) * np.abs(missed_um) / (sensor.pixel_um * sensor.binning)
    if np.ptp(disc) < 1e-9:
        return np.asarray(disc)
    # a twelfth of the core in quadrature can't be told apart
    step = 0.12 * max(scene.blur.fwhm_px, 1.0)
    root = np.sqrt(disc**2 + step**2)
    return np.asarray(np.sqrt(np.maximum((np.rint(root / step) * step) ** 2 - step**2, 0.0)).round(3))


def _spot(scene: Scene, disc_px: float) -> Spot:
    blur = scene.blur
    return Spot(blur.fwhm_px, disc_px, blur.obstruction, blur.beta, blur.walk_px)


def _smear_all(
    mean: NDArray[np.float32], column: Floats, row: Floats, light: Floats, spot: Spot, half: int
) -> None:
    """Stars whose images are large: all at once, or, where they are few, one after the other."""
    rows, columns = mean.shape
    if len(column) * half**2 < rows * columns:
        put_down(mean, column, row, light, spot, half)
        return
    points = points_on((rows + 2 * half, columns + 2 * half), column + half, row + half, light)
    mean += np.maximum(smear(points, spot, half)[half:-half, half:-half], 0.0).astype(np.float32)


def _stamp_all(
    mean: NDArray[np.float32],
    column: Floats,
    row: Floats,
    light: NDArray[np.float32],
    kernel: NDArray[np.float32],
    half: int,
) -> None:
    rows, columns = mean.shape
    c0, r0 = np.rint(column).astype(int), np.rint(row).astype(int)
    near = (c0 > -half) & (c0 < columns + half) & (r0 > -half) & (r0 < rows + half)
    y, x = ((d * OVERSAMPLING + PHASES // 2) for d in (row - r0, column - c0))
    i, j = np.floor(y).astype(int), np.floor(x).astype(int)
    t, u = (y - i).astype(np.float32), (x - j).astype(np.float32)
    corners = [
        (i + di, j + dj, light * (t if di else 1 - t) * (u if dj else 1 - u))
        for di in (0, 1)
        for dj in (0, 1)
    ]
    inside = near & (c0 >= half) & (c0 < columns - half) & (r0 >= half) & (r0 < rows - half)
    if half <= _SMALL_HALF:
        for some in np.array_split(np.flatnonzero(inside), 1 + np.count_nonzero(inside) // _AT_ONCE):
            chosen = [(a[some], b[some], share[some]) for a, b, share in corners]
            _scatter(mean, c0[some], r0[some], kernel, chosen, half)
        near &= ~inside
    for k in np.flatnonzero(near):
        top, left = r0[k] - half, c0[k] - half
        a, b = max(top, 0), min(top + 2 * half + 1, rows)
        c, d = max(left, 0), min(left + 2 * half + 1, columns)
        if a < b and c < d:
            part = (slice(a - top, b - top), slice(c - left, d - left))
            # the star stands between four phases: a mixture of their stamps has the right centre
            mean[a:b, c:d] += sum(share[k] * kernel[p[k], q[k]][part] for p, q, share in corners)


def _scatter(
    mean: NDArray[np.float32],
    column: NDArray[np.int64],
    row: NDArray[np.int64],
    kernel: NDArray[np.float32],
    corners: list[tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.float32]]],
    half: int,
) -> None:
    """Small stamps of many stars at once, none of them cut by an edge."""
    side = np.arange(2 * half + 1) - half
    light = sum(share[:, np.newaxis, np.newaxis] * kernel[i, j] for i, j, share in corners)
    place = (row[:, np.newaxis] + side) * mean.shape[1]
    pixel = place[:, :, np.newaxis] + (column[:, np.newaxis] + side)[:, np.newaxis, :]
    np.add.at(mean.ravel(), pixel.ravel(), np.ravel(light))


def _add_small_objects(
    sharp: NDArray[np.float32], scene: Scene, sources: list[Source], left_at: Floats, grid: Grid
) -> list[Source]:
    """Draw the objects that are small, and give back the large ones."""
    large = []
    region, scale = scene.sensor.whole, scene.scale_arcsec_px
    kinds = shares_of(scene.sensor.bayer, scene.sensor.binning)
    # of a colour sensor the lines' shares are taken as starlight's: small objects are mostly that
    weights = [1.0, *(np.mean([s[k] / s[0] for s in kinds.values()]) for k in (1, 2))]
    for source in sources:
        half = source.half_major_arcsec * source.reach / scale
        if half > (_LARGE_CLOUD_PX if source.soft else _LARGE_PX):
            large.append(source)
            continue
        x, y, _ = (v[0] for v in to_pixels(np.array([source.ra_deg]), np.array([source.dec_deg]), scene))
        if not np.isfinite(x):
            continue
        margin = half + 3 * scene.blur.fwhm_px + 2
        a, b = (int(np.clip(v - region.bottom, 0, region.rows)) for v in (y - margin, y + margin + 1))
        c, d = (int(np.clip(v - region.left, 0, region.columns)) for v in (x - margin, x + margin + 1))
        if a >= b or c >= d:
            continue
        place = np.meshgrid(np.arange(c, d) + region.left, np.arange(a, b) + region.bottom)
        shape, mass = shape_at(source, scene, place[0].astype(float), place[1].astype(float))
        electrons = sum(w * e for w, e in zip(weights, brightness(source, scene, mass), strict=True))
        blurred = gaussian_filter(shape, np.hypot(scene.blur.fwhm_px, _centre_disc(scene)) / _FWHM_PER_SIGMA)
        left = float(grid.at(left_at, np.array([x]), np.array([y]))[0])
        sharp[a:b, c:d] += (electrons * scale**2 * scene.exposure_s * left * blurred).astype(np.float32)
    return large


def _centre_disc(scene: Scene) -> float:
    rows, columns = scene.sensor.shape
    centre = replace(scene.blur, tilt_um=(0.0, 0.0), curvature_um=0.0)
    return float(_disc_px(replace(scene, blur=centre), np.array([columns / 2]), np.array([rows / 2]))[0])


def _hot_pixels(scene: Scene, dark_e: float) -> tuple[NDArray[np.int64], ...] | None:
    """Pixels that belong to the camera: always the same ones, some hundred times the usual dark current."""
    sensor, region = scene.sensor, scene.sensor.whole
    rows, columns = sensor.shape
    count = int(rows * columns * sensor.hot_share)
    if count == 0 or dark_e <= 0:
        return None
    rng = generator(sensor.hot_seed, "hot pixels", rows, columns)
    place = rng.integers(0, rows * columns, count)
    light = dark_e * 10 ** rng.uniform(1.5, 3.5, count)
    row, column = place // columns - region.bottom, place % columns - region.left
    inside = (row >= 0) & (row < region.rows) & (column >= 0) & (column < region.columns)
    order = np.argsort(row[inside], kind="stable")
    return row[inside][order], column[inside][order], light[inside][order]


def _put_hot(
    mean: NDArray[np.float32],
    tile: Tile,
    row: NDArray[np.int64],
    column: NDArray[np.int64],
    light: NDArray[np.int64],
) -> None:
    first, last = np.searchsorted(row, [tile[0].start, tile[0].stop])
    here = slice(int(first), int(last))
    chosen = (column[here] >= tile[1].start) & (column[here] < tile[1].stop)
    r, c = row[here][chosen] - tile[0].start, column[here][chosen] - tile[1].start
    np.add.at(mean, (r, c), light[here][chosen].astype(np.float32))


def _bands(scene: Scene) -> NDArray[np.float32] | None:
    """What each row has of the even light, where a rolling readout meets short or flickering light."""
    amplitude, period_rows, phase = scene.shade.bands
    if amplitude == 0:
        return None
    region = scene.sensor.whole
    row = np.arange(region.bottom, region.bottom + region.rows)
    return (1 + amplitude * np.sin(2 * np.pi * row / period_rows + phase)).astype(np.float32)
