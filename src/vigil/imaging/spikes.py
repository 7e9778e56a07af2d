"""Focusing with a diffraction mask: three spikes cross in one point when a star is in focus; out of focus the
middle one stands beside the crossing of the other two, on one side or the other."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

_REACH_PX, _CORE_PX = 90, 7.0
"""How far from the star spikes are looked at, and how near they are lost in its own light."""
_STEP_DEG, _APART_DEG = 1.0, 7.0
_MOST_BESIDE_PX = 25
_LEAST_SNR = 6.0
_ACROSS_PX, _ROUNDS = 3.0, 4
_LEAST_PLACES = 12
_FROM_DEG = -22.5


@dataclass(frozen=True, slots=True)
class Line:
    """A spike through (x, y) px, from the columns' direction towards that of the rows; `error_px` is that of
    its place across."""

    x_px: float
    y_px: float
    angle_deg: float
    error_px: float


@dataclass(frozen=True, slots=True)
class MaskReading:
    """`offset_px` is how far the middle spike stands beside the crossing of the outer two (`x_px`, `y_px`),
    across itself: positive to its left, seen along its angle (from −22.5° to 157.5°); 0 is in focus.
    `error_px` is its standard error. `lines` are the outer one, the middle one, the outer one."""

    offset_px: float
    error_px: float
    x_px: float
    y_px: float
    lines: tuple[Line, Line, Line]


class NoSpikes(ValueError):
    """No three spikes are to be seen; the message says what was."""


def mask_reading(image: NDArray[np.generic], x_px: float, y_px: float) -> MaskReading:
    """Of the star near a place (column, row) of an image. Raises NoSpikes."""
    light, left, bottom = _around(image, x_px, y_px)
    rows, columns = light.shape
    dx: Floats = np.broadcast_to(np.arange(columns) + left - x_px, light.shape)
    dy: Floats = np.broadcast_to((np.arange(rows) + bottom - y_px)[:, None], light.shape)
    away = np.hypot(dx, dy)
    used = (away > _CORE_PX) & (away <= _REACH_PX)
    noise = 1.4826 * float(np.median(np.abs(light[used] - np.median(light[used]))))
    if not noise > 0:
        raise NoSpikes("the picture has no light in it")
    found = _three(light[used], dx[used], dy[used], noise)
    lines = []
    for k, (angle, beside) in enumerate(found):
        alone = used.copy()
        for other, passes in (line for j, line in enumerate(found) if j != k):
            alone &= np.abs(_across(dx, dy, np.radians(other)) - passes) > _ACROSS_PX + 1
        lines.append(_fitted(light[alone], dx[alone], dy[alone], angle, beside))
    ordered = _outer_middle_outer(sorted(lines, key=lambda line: line.angle_deg))
    return _read(ordered, x_px, y_px)


def _around(image: NDArray[np.generic], x_px: float, y_px: float) -> tuple[Floats, int, int]:
    left, bottom = max(0, round(x_px) - _REACH_PX), max(0, round(y_px) - _REACH_PX)
    part = image[bottom : round(y_px) + _REACH_PX + 1, left : round(x_px) + _REACH_PX + 1]
    light = np.asarray(part, dtype=float)
    if min(light.shape, default=0) < 1.5 * _REACH_PX:
        raise NoSpikes("the star stands too near to the picture's edge")
    return light - np.median(light), left, bottom


def _across(dx: Floats, dy: Floats, turn: float) -> Floats:
    """How far places lie to the left of a line through the star."""
    return np.asarray(dy * np.cos(turn) - dx * np.sin(turn))


def _three(light: Floats, dx: Floats, dy: Floats, noise: float) -> list[tuple[float, float]]:
    """Angles of the three clearest lines, and how far each passes beside the star."""
    # the root keeps one bright pixel from being a line
    root = np.sqrt(np.maximum(light, 0.0))
    angles = np.arange(0.0, 180.0, _STEP_DEG)
    edges = np.arange(-_MOST_BESIDE_PX - 0.5, _MOST_BESIDE_PX + 1.0)
    clear, beside = np.zeros(len(angles)), np.zeros(len(angles))
    for k, angle in enumerate(np.radians(angles)):
        across = _across(dx, dy, angle)
        total, _ = np.histogram(across, edges, weights=root)
        count, _ = np.histogram(across, edges)
        mean = total / np.maximum(count, 1)
        smooth = np.convolve(mean, [0.25, 0.5, 0.25], mode="same")
        best = int(np.argmax(smooth[2:-2])) + 2
        spread = 1.4826 * float(np.median(np.abs(smooth - np.median(smooth)))) + 1e-9
        clear[k], beside[k] = (smooth[best] - np.median(smooth)) / spread, edges[best] + 0.5
    picked: list[int] = []
    for k in np.argsort(-clear):
        apart = [abs((angles[k] - angles[p] + 90) % 180 - 90) for p in picked]
        if all(a >= _APART_DEG for a in apart):
            picked.append(int(k))
        if len(picked) == 3:
            break
    seen = [k for k in picked if clear[k] >= _LEAST_SNR]
    if len(seen) < 3:
        raise NoSpikes(
            f"{len(seen)} spikes are to be seen, 3 are needed: a brighter star, or a longer exposure"
        )
    return [(float(angles[k]), float(beside[k])) for k in picked]


def _fitted(light: Floats, dx: Floats, dy: Floats, angle_deg: float, beside: float) -> Line:
    """A spike's line through the middles of its light across it, at each place along it."""
    turn = np.radians(angle_deg)
    for _ in range(_ROUNDS):
        along, across = dx * np.cos(turn) + dy * np.sin(turn), _across(dx, dy, turn)
        near = np.abs(across - beside) <= _ACROSS_PX
        place = np.rint(along[near] / 4).astype(int)
        weight = np.maximum(light[near], 0.0)
        first = place.min()
        total = np.bincount(place - first, weight)
        held = total > 0
        if held.sum() < _LEAST_PLACES:
            raise NoSpikes("a spike is too short to be measured")
        t = np.bincount(place - first, weight * along[near])[held] / total[held]
        middle = np.bincount(place - first, weight * across[near])[held] / total[held]
        w = np.sqrt(total[held])
        design = np.stack([np.ones_like(t), t / _REACH_PX], axis=1)
        found = np.linalg.lstsq(design * w[:, None], middle * w, rcond=None)[0]
        turn += np.arctan(found[1] / _REACH_PX)
        beside = float(found[0])
    off = middle - design @ found
    error = float(np.sqrt((w**2 * off**2).sum() / (w**2).sum() / max(len(off) - 2, 1)))
    x, y = -beside * np.sin(turn), beside * np.cos(turn)
    return Line(float(x), float(y), float(np.degrees(turn)) % 180, error)


def _outer_middle_outer(lines: list[Line]) -> tuple[Line, Line, Line]:
    """By angle, whichever way round: the middle one is that which halves the smallest fan of all three."""
    a, b, c = lines
    fans = [
        (c.angle_deg - a.angle_deg, (a, b, c)),
        (a.angle_deg + 180 - b.angle_deg, (b, c, a)),
        (b.angle_deg + 180 - c.angle_deg, (c, a, b)),
    ]
    return min(fans, key=lambda fan: fan[0])[1]


def _read(lines: tuple[Line, Line, Line], x_px: float, y_px: float) -> MaskReading:
    first, middle, last = lines
    rows = []
    for line in (first, last):
        turn = np.radians(line.angle_deg)
        normal = np.array([-np.sin(turn), np.cos(turn)])
        rows.append((normal, float(normal @ [line.x_px, line.y_px])))
    crossing = np.linalg.solve(np.array([row[0] for row in rows]), np.array([row[1] for row in rows]))
    # a line has two directions: left is told along the one within these 180°
    turn = np.radians((middle.angle_deg - _FROM_DEG) % 180 + _FROM_DEG)
    normal = np.array([-np.sin(turn), np.cos(turn)])
    offset = float(normal @ [middle.x_px, middle.y_px] - normal @ crossing)
    # the crossing is as well known as the outer two, more loosely along a narrow fan
    fan = np.radians(abs((last.angle_deg - first.angle_deg + 90) % 180 - 90))
    outer = float(np.hypot(first.error_px, last.error_px)) / (2 * max(np.cos(fan / 2), 0.1))
    placed = tuple(Line(l.x_px + x_px, l.y_px + y_px, l.angle_deg, l.error_px) for l in lines)  # noqa: E741
    return MaskReading(
        offset,
        float(np.hypot(middle.error_px, outer)),
        float(crossing[0] + x_px),
        float(crossing[1] + y_px),
        (placed[0], placed[1], placed[2]),
    )
