"""Random fields of any size with what goes wrong in real frames: for the solver's campaign."""

from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from campaigns.demo import demo_rig
from campaigns.solvefields import field_scene
from vigil.imaging.stars import Stars, measure_field
from vigil.simulator.above.stars import true_stars
from vigil.simulator.chance import generator
from vigil.simulator.frame.draw import draw
from vigil.simulator.frame.scene import Scene, radius_deg, to_pixels
from vigil.sky.tangent import deproject

SIDE_PX = 2048
TROUBLES = (
    "hot pixels",
    "satellite trails",
    "half clouded",
    "trailed",
    "defocused",
    "bright nebula",
    "doubled",
    "missing and spurious",
)
_LOST_SHARE = 0.4


@dataclass(frozen=True, slots=True)
class Case:
    """A field: what is drawn, what is wrong with it, and how many catalogue stars that leaves."""

    key: tuple[int, str, int]
    scene: Scene
    side_deg: float
    mirrored: bool
    troubles: tuple[str, ...]
    stars_left: int

    def centres_deg(self) -> list[tuple[float, float]]:
        """Where the frame's middle looks; of a doubled one, whose mount jumped in mid-exposure, both."""
        aim, walk = self.scene.aim, self.scene.blur.walk_px
        if "doubled" not in self.troubles:
            return [(aim.ra_deg, aim.dec_deg)]
        # stars that stand higher in the frame: it looked lower
        found = []
        for dx, dy in walk:
            turn = np.radians(aim.position_angle_deg)
            across, along = -dx, -dy
            xi = -across * np.cos(turn) + along * np.sin(turn)
            eta = across * np.sin(turn) + along * np.cos(turn)
            step = self.scene.scale_arcsec_px / 3600
            ra, dec = deproject(xi * step, eta * step, aim.ra_deg, aim.dec_deg)
            found.append((float(ra), float(dec)))
        return found


def case_of(number: int, sides_deg: tuple[float, float], group: str) -> Case:
    """A random field with its shorter side log-uniform between two sizes, under seeing of 1.5–5″."""
    rng = generator(406, f"field {group}", number)
    side_deg = float(np.exp(rng.uniform(*np.log(sides_deg))))
    scale = 3600 * side_deg / SIDE_PX
    base = field_scene(demo_rig(), number)
    troubles = ()
    if rng.random() < 0.5:
        troubles = tuple(str(t) for t in rng.choice(TROUBLES, int(rng.integers(1, 3)), replace=False))
    fwhm_px = float(np.hypot(rng.uniform(1.5, 5.0) / scale, 1.4))
    blur = replace(base.blur, fwhm_px=round(fwhm_px, 2))
    if "trailed" in troubles:
        length, way = rng.uniform(4, 14), rng.uniform(0, 2 * np.pi)
        blur = replace(blur, walk_px=_walk(length * np.cos(way), length * np.sin(way), 9))
    if "doubled" in troubles:
        length, way = rng.uniform(6, 25), rng.uniform(0, 2 * np.pi)
        blur = replace(blur, walk_px=_walk(length * np.cos(way), length * np.sin(way), 2))
    if "defocused" in troubles:
        blur = replace(blur, defocus_um=float(rng.uniform(60, 160)))
    aim = replace(
        base.aim,
        ra_deg=float(rng.uniform(0, 360)),
        dec_deg=float(np.degrees(np.arcsin(rng.uniform(-1, 1)))),
        position_angle_deg=float(rng.uniform(0, 360)),
    )
    hot = 2e-3 if "hot pixels" in troubles else 3e-4
    scene = replace(
        base,
        noise_key=(406, f"field {group}", number),
        aim=aim,
        scale_arcsec_px=scale,
        exposure_s=float(np.exp(rng.uniform(np.log(4), np.log(30)))),
        sensor=replace(base.sensor, shape=(SIDE_PX, SIDE_PX), hot_share=hot, dark_e_s=0.02),
        blur=blur,
        sky=replace(base.sky, deep_sky=True) if base.sky else None,
    )
    case = Case((406, group, number), scene, side_deg, bool(rng.random() < 0.5), troubles, 0)
    return replace(case, stars_left=_stars_left(case))


def _walk(dx: float, dy: float, places: int) -> tuple[tuple[float, float], ...]:
    return tuple((float(dx * t), float(dy * t)) for t in np.linspace(-0.5, 0.5, places))


def _clouded(case: Case) -> tuple[int, bool]:
    """Columns up to which, or from which, clouds hide everything."""
    rng = generator(406, f"cloud {case.key[1]}", case.key[2])
    return int(rng.uniform(0.4, 0.6) * SIDE_PX), bool(rng.random() < 0.5)


def _stars_left(case: Case) -> int:
    scene, aim = case.scene, case.scene.aim
    assert scene.sky is not None
    stars = true_stars(aim.ra_deg, aim.dec_deg, radius_deg(scene), scene.sky.seed, None)
    column, row, _ = to_pixels(stars.ra_deg, stars.dec_deg, scene)
    inside = (np.abs(column - SIDE_PX / 2) < SIDE_PX / 2) & (np.abs(row - SIDE_PX / 2) < SIDE_PX / 2)
    if "half clouded" in case.troubles:
        edge, from_left = _clouded(case)
        inside &= (column > edge) if from_left else (column < edge)
    left = int(np.count_nonzero(inside))
    return int((1 - _LOST_SHARE) * left) if "missing and spurious" in case.troubles else left


def frame_of(case: Case) -> NDArray[np.float32]:
    """The pixels, troubles that a picture shows included."""
    image = draw(case.scene).astype(np.float32)
    rng = generator(406, f"troubles {case.key[1]}", case.key[2])
    noise = float(np.std(image[:64, :64]))
    if "satellite trails" in case.troubles:
        for _ in range(int(rng.integers(1, 4))):
            _add_trail(image, rng, noise)
    if "bright nebula" in case.troubles:
        y, x = np.mgrid[:SIDE_PX, :SIDE_PX].astype(np.float32)
        at, size = rng.uniform(0.3, 0.7, 2) * SIDE_PX, rng.uniform(40, 300)
        image += np.float32(60 * noise) * np.exp(-np.hypot(x - at[0], y - at[1]) / np.float32(size))
    if "half clouded" in case.troubles:
        edge, from_left = _clouded(case)
        hidden = np.s_[:, :edge] if from_left else np.s_[:, edge:]
        level = float(np.median(image)) * 1.5
        image[hidden] = rng.normal(level, 1.2 * noise, image[hidden].shape).astype(np.float32)
    return np.ascontiguousarray(image[:, ::-1]) if case.mirrored else image


def _add_trail(image: NDArray[np.float32], rng: np.random.Generator, noise: float) -> None:
    way, off = rng.uniform(0, np.pi), rng.uniform(-0.35, 0.35) * SIDE_PX
    y, x = np.mgrid[:SIDE_PX, :SIDE_PX].astype(np.float32)
    away = (x - SIDE_PX / 2) * np.sin(way) - (y - SIDE_PX / 2) * np.cos(way) - off
    image += np.float32(rng.uniform(10, 60) * noise) * np.exp(-((away / 1.8) ** 2))


def stars_of(case: Case, image: NDArray[np.float32]) -> Stars:
    """What is detected on the frame; of that some lost and some added where that is the trouble."""
    stars = measure_field(image).stars
    if "missing and spurious" not in case.troubles:
        return stars
    rng = generator(406, f"lost {case.key[1]}", case.key[2])
    kept = rng.random(len(stars)) > _LOST_SHARE
    extra = int(kept.sum() * _LOST_SHARE / (1 - _LOST_SHARE))
    drawn = rng.choice(np.flatnonzero(kept), extra) if kept.any() else np.empty(0, int)
    everywhere = {"x_px": rng.uniform(0, SIDE_PX, extra), "y_px": rng.uniform(0, SIDE_PX, extra)}
    return Stars(
        *(
            np.concatenate([getattr(stars, name)[kept], everywhere.get(name, getattr(stars, name)[drawn])])
            for name in Stars.__slots__
        )
    )
