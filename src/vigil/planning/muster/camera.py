"""The camera and its cooler."""

from collections.abc import Iterator
from itertools import pairwise

from vigil.documents.figures import signed
from vigil.documents.rig import Rig
from vigil.documents.rig.camera import CameraPart, CoolerPart
from vigil.planning.muster.finding import Finding, Known, Remedy

_FASTEST_C_MIN = 6.0
_FEWEST_FRAMES = 100
_BYTES_PER_PIXEL = 2


def findings(rig: Rig, known: Known) -> Iterator[Finding]:
    """Everything about the camera."""
    camera = rig.camera
    if camera is None:
        yield Finding(("camera",), "There is no camera: nothing can be exposed.")
        return
    yield from _gains(camera)
    yield from _scale(camera)
    yield from _cooler(camera, known)
    if known.free_bytes is not None:
        frames = known.free_bytes / (_BYTES_PER_PIXEL * camera.columns * camera.rows)
        if frames < _FEWEST_FRAMES:
            yield Finding(
                ("frames", "folder"),
                f"{known.free_bytes / 1e9:.1f} GB are free, room for {int(frames)} frames; a night takes "
                f"{_FEWEST_FRAMES} or more.",
            )


def _gains(camera: CameraPart) -> Iterator[Finding]:
    at = [mode.name for mode in camera.readout_modes].index(camera.readout_mode)
    points = camera.readout_modes[at].gains
    for use in ("lights", "framing", "focusing", "solving"):
        gain = getattr(camera, use).gain
        if gain is not None and not points[0].gain <= gain <= points[-1].gain:
            yield Finding(
                ("camera", use, "gain"),
                f"{camera.gain_is} {gain} for {use} lies outside what is known of the sensor, "
                f"{points[0].gain} to {points[-1].gain}.",
            )
    for n, (low, high) in enumerate(pairwise(points)):
        if high.electrons_per_adu > low.electrons_per_adu * 1.02:
            yield Finding(
                ("camera", "readout_modes", at, "gains", n + 1, "electrons_per_adu"),
                f"{high.electrons_per_adu:g} e⁻/ADU at {camera.gain_is} {high.gain} is more than "
                f"{low.electrons_per_adu:g} at {low.gain}: electrons per ADU fall as it rises.",
            )
    for n, point in enumerate(points):
        if point.read_noise_e == 0:
            yield Finding(
                ("camera", "readout_modes", at, "gains", n, "read_noise_e"),
                f"A read noise of 0 e⁻ at {camera.gain_is} {point.gain} is not possible.",
            )
    if camera.settings_for("lights").offset == 0:
        yield Finding(
            ("camera", "lights", "offset"),
            "An offset of 0 cuts half of the dark noise off at black.",
            doubt=True,
        )


def _scale(camera: CameraPart) -> Iterator[Finding]:
    own = 2**camera.bit_depth - 1
    if camera.full_scale_adu not in (own, 65535):
        yield Finding(
            ("camera", "full_scale_adu"),
            f"{camera.bit_depth} bits go up to {own} ADU, or 65535 where the camera spreads them; "
            f"the rig says {camera.full_scale_adu}.",
            remedy=Remedy(f"Set to {own}", own),
        )
    for n, (one, more) in enumerate(pairwise(camera.download_s)):
        if more > one:
            yield Finding(
                ("camera", "download_s"),
                f"Binned {n + 2} × {n + 2} the download takes {more:g} s, longer than {one:g} s "
                "with more pixels.",
                doubt=True,
            )


def _cooler(camera: CameraPart, known: Known) -> Iterator[Finding]:
    cooler, air_c = camera.cooler, known.outside_c
    if cooler is None:
        return
    place = ("camera", "cooler")
    if cooler.warm_to_c <= cooler.set_point_c:
        yield Finding(
            (*place, "warm_to_c"),
            f"Warming up to {signed(cooler.warm_to_c)} °C is no warmer than the set-point "
            f"{signed(cooler.set_point_c)} °C.",
        )
    else:
        yield from _ramps(cooler)
    if air_c is None:
        return
    deepest = air_c - cooler.deepest_below_ambient_c
    if cooler.set_point_c < deepest:
        warmer = float(5 * -(-deepest // 5))
        yield Finding(
            (*place, "set_point_c"),
            f"{signed(cooler.set_point_c)} °C can't be reached tonight: the air has {signed(air_c, 1)} °C, "
            f"and the cooler goes {cooler.deepest_below_ambient_c:g} °C below it, "
            f"to {signed(deepest, 1)} °C.",
            remedy=Remedy(f"Set to {signed(warmer)} °C", warmer),
        )
    elif cooler.set_point_c > air_c:
        yield Finding(
            (*place, "set_point_c"),
            f"{signed(cooler.set_point_c)} °C is warmer than the air, {signed(air_c, 1)} °C: "
            "a cooler can't heat.",
        )


def _ramps(cooler: CoolerPart) -> Iterator[Finding]:
    up = (cooler.warm_to_c - cooler.set_point_c) / cooler.warm_minutes_limit
    if up > _FASTEST_C_MIN:
        yield Finding(
            ("camera", "cooler", "warm_minutes_limit"),
            f"From {signed(cooler.set_point_c)} to {signed(cooler.warm_to_c)} °C within "
            f"{cooler.warm_minutes_limit:g} min is "
            f"{up:.1f} °C a minute; sensors bear about {_FASTEST_C_MIN:g}.",
        )
    down = cooler.deepest_below_ambient_c / cooler.minutes_to_cool
    if down > 4 * _FASTEST_C_MIN:
        yield Finding(
            ("camera", "cooler", "minutes_to_cool"),
            f"{cooler.deepest_below_ambient_c:g} °C in {cooler.minutes_to_cool:g} min is "
            f"{down:.0f} °C a minute; "
            f"sensors bear about {_FASTEST_C_MIN:g}.",
        )
