"""Light that changes slowly over the frame, on a coarse grid: sky, nebulae, a panel, and what shades them."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray
from scipy.special import expit

from vigil.simulator.above.deepsky import H_ALPHA_NM, O_III_NM, Source, sources_near, texture_of
from vigil.simulator.chance import generator
from vigil.simulator.frame.scene import Floats, Scene, radius_deg, to_pixels

GRID_PX = 8
# what a colour sensor's filters let through of a mono sensor's light: of starlight, and of the two lines
_SHARES = {
    "R": (0.32, 0.80, 0.03),
    "G": (0.42, 0.06, 0.62),
    "B": (0.27, 0.02, 0.50),
}
_PATCHES_OVER_FRAME, _PATCH_DEPTH = 0.35, 0.3


def shares_of(bayer: str | None, binning: int) -> dict[str, tuple[float, float, float]]:
    """The kinds of pixel, each with the shares of starlight, hydrogen and oxygen light that it sees. Binned
    pixels mix all four."""
    if bayer is None:
        return {"": (1.0, 1.0, 1.0)}
    if binning > 1:
        mean = np.mean([_SHARES[colour] for colour in bayer], axis=0)
        return {"": (float(mean[0]), float(mean[1]), float(mean[2]))}
    return {colour: _SHARES[colour] for colour in dict.fromkeys(bayer)}


@dataclass(frozen=True, slots=True)
class Grid:
    """Coarse nodes over the region that is read: every eighth pixel, the last one on or past the edge."""

    rows: NDArray[np.float64]
    columns: NDArray[np.float64]

    def at(self, values: Floats, column: Floats, row: Floats) -> Floats:
        """Values between the nodes, straight lines; beyond them the edge's."""
        x = np.clip((column - self.columns[0]) / GRID_PX, 0, len(self.columns) - 1.001)
        y = np.clip((row - self.rows[0]) / GRID_PX, 0, len(self.rows) - 1.001)
        j, i = x.astype(int), y.astype(int)
        s, t = x - j, y - i
        low = values[i, j] * (1 - s) + values[i, j + 1] * s
        high = values[i + 1, j] * (1 - s) + values[i + 1, j + 1] * s
        return np.asarray(low * (1 - t) + high * t)


def grid_of(scene: Scene) -> Grid:
    region = scene.sensor.whole

    def nodes(first: int, count: int) -> Floats:
        return first + GRID_PX * np.arange(int(np.ceil((count - 1) / GRID_PX)) + 2, dtype=float)

    return Grid(nodes(region.bottom, region.rows), nodes(region.left, region.columns))


def shading(scene: Scene, grid: Grid) -> Floats:
    """Share of the light that arrives at each node."""
    shade, sensor = scene.shade, scene.sensor
    pixel_um = sensor.pixel_um * sensor.binning
    rows, columns = sensor.shape
    x = (grid.columns[None, :] - (columns - 1) / 2) * pixel_um
    y = (grid.rows[:, None] - (rows - 1) / 2) * pixel_um
    corner2 = ((columns / 2) ** 2 + (rows / 2) ** 2) * pixel_um**2
    filter_x, filter_y = x - shade.shift_um[0], y - shade.shift_um[1]
    left = 1 - shade.vignetting * (filter_x**2 + filter_y**2) / corner2
    for k in range(shade.specks):
        # every other speck lies on the filter and moves with it, the rest on the sensor's window
        on_filter = k % 2 == 1
        rng = generator(shade.seed, "dust", shade.slot if on_filter else 0, k)
        at_x, at_y = rng.uniform(-0.45, 0.45) * columns * pixel_um, rng.uniform(-0.45, 0.45) * rows * pixel_um
        outer = rng.uniform(200, 450) * (1.5 if on_filter else 0.6)
        r = np.hypot((filter_x if on_filter else x) - at_x, (filter_y if on_filter else y) - at_y)
        ring = expit((outer - r) / 25) - 0.7 * expit((0.45 * outer - r) / 25)
        left = left * (1 - rng.uniform(0.02, 0.07) * ring)
    return np.asarray(left)


def dimming(scene: Scene, grid: Grid) -> Floats:
    """Share of starlight that clouds and dew leave at each node."""
    shape = (len(grid.rows), len(grid.columns))
    if scene.sky is None:
        return np.ones(shape)
    if scene.sky.cloud_mag <= 0:
        return np.full(shape, scene.sky.dimmed)
    texture = texture_of("cloud")
    size = texture.shape[0]
    columns = scene.sensor.shape[1]
    u = grid.columns[None, :] / columns + scene.sky.cloud_drift
    v = grid.rows[:, None] / columns
    i, j = ((w * _PATCHES_OVER_FRAME * size).astype(int) % size for w in np.broadcast_arrays(v, u))
    # smoothed over a few nodes by taking the mean of neighbours
    patch = (texture[i, j] + texture[(i + 3) % size, j] + texture[i, (j + 3) % size]) / 3
    return np.asarray(scene.sky.dimmed * 10 ** (-0.4 * scene.sky.cloud_mag * np.exp(_PATCH_DEPTH * patch)))


def even_light(
    scene: Scene, grid: Grid, shade: Floats, dims: Floats, large: list[Source]
) -> dict[str, Floats]:
    """Electrons of each kind of pixel at the nodes: sky, large objects and panel, shaded."""
    sensor, sky = scene.sensor, scene.sky
    starlight = np.full(shade.shape, scene.panel_e_s_px)
    hydrogen, oxygen = np.zeros_like(shade), np.zeros_like(shade)
    if sky is not None:
        area = scene.scale_arcsec_px**2
        starlight = starlight + sky.dimmed * scene.light.sky_e_s_arcsec2(sky.mag_arcsec2) * area
        place = np.meshgrid(grid.columns, grid.rows)
        for source in large:
            shape, mass = shape_at(source, scene, *place)
            for kind, layer in zip(
                brightness(source, scene, mass), (starlight, hydrogen, oxygen), strict=True
            ):
                layer += kind * area * shape * dims
    return {
        kind: (s * starlight + h * hydrogen + o * oxygen) * shade * scene.exposure_s
        for kind, (s, h, o) in shares_of(sensor.bayer, sensor.binning).items()
    }


def brightness(source: Source, scene: Scene, air_mass: float) -> tuple[float, float, float]:
    """Electrons a second and square arc-second where the source's shape is 1: starlight, hydrogen, oxygen."""
    light = scene.light
    through = 10 ** (-0.4 * float(light.extinction_mag(air_mass)))
    return (
        through * source.starlight * light.sky_e_s_arcsec2(source.mag_arcsec2),
        through * light.line_e_s_arcsec2(source.rayleigh(H_ALPHA_NM), H_ALPHA_NM),
        through * light.line_e_s_arcsec2(source.rayleigh(O_III_NM), O_III_NM),
    )


def shape_at(source: Source, scene: Scene, column: Floats, row: Floats) -> tuple[Floats, float]:
    """A source's shape at pixels of the whole frame, and its air mass; the sky is taken as flat over it."""
    step_deg = 1 / 60.0
    east = step_deg / max(np.cos(np.radians(source.dec_deg)), 0.02)
    ra = np.array([source.ra_deg, source.ra_deg + east, source.ra_deg])
    dec = np.array([source.dec_deg, source.dec_deg, source.dec_deg + step_deg])
    x, y, mass = to_pixels(ra, dec, scene)
    to_px = np.array([[x[1] - x[0], x[2] - x[0]], [y[1] - y[0], y[2] - y[0]]]) / (3600 * step_deg)
    back = np.linalg.inv(to_px)
    dx, dy = column - x[0], row - y[0]
    return source.shape(back[0, 0] * dx + back[0, 1] * dy, back[1, 0] * dx + back[1, 1] * dy), float(mass[0])


def sources_of(scene: Scene) -> list[Source]:
    """The deep-sky objects that reach into the frame."""
    if scene.sky is None or not scene.sky.deep_sky:
        return []
    return sources_near(scene.aim.ra_deg, scene.aim.dec_deg, radius_deg(scene))
