"""The conditions that plans may name, to put them in another order or switch them off."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from vigil.documents.rig import Rig
from vigil.documents.steps import MustHold


@dataclass(frozen=True, slots=True)
class Known:
    """`after` are those that what brings it about relies on; `explained` says what it means, `by` how it is
    brought about, for people; `orders` are the standing orders with its limits, `devices` what it needs."""

    name: str
    after: tuple[str, ...]
    explained: str
    by: str
    devices: tuple[str, ...] = ()
    orders: tuple[str, ...] = ()
    may_be_off: bool = True
    wanted: Callable[[Rig], bool] = lambda rig: True
    """Whether a rig's parts make sense of it."""


def _flips(rig: Rig) -> bool:
    return rig.mount is not None and rig.mount.kind == "german" and rig.mount.flip is not None


def guides(rig: Rig) -> bool:
    """Whether a rig has what guiding takes."""
    return rig.mount is not None and rig.guide_scale_arcsec_px is not None


def has_polar_axis(rig: Rig) -> bool:
    """Whether there is one, and a camera to find it with."""
    sees = rig.guide_scale_arcsec_px is not None or rig.frames_sky
    return rig.mount is not None and rig.mount.kind != "alt-azimuth" and sees


KNOWN: tuple[Known, ...] = (
    Known(
        "connected", (), "Every device answers.", "Vigil connects those that don't, up to three times",
        may_be_off=False,
    ),
    Known(
        "safe", (), "Weather and safety sensors say so, and their word is fresh.",
        "Vigil holds; cover and roof are closed and the mount is parked meanwhile, where that is ordered",
        ("weather station", "safety sensor"), ("when_unsafe",), may_be_off=False,
        wanted=lambda rig: rig.weather is not None or rig.safety is not None,
    ),
    Known(
        "enough stars", (), "The last frame has about as many stars as those before it.",
        "Vigil holds and looks at the sky every five minutes", ("camera",), ("stars_at_least_percent",),
    ),
    Known(
        "in its span", (), "Dark enough and high enough until the frame is read out.",
        "Vigil waits, or does another block", may_be_off=False,
    ),
    Known(
        "room on disk", (), "There is room for the frame.", "Vigil holds until there is",
        may_be_off=False,
    ),
    Known(
        "camera cold", ("connected",), "The camera is at its set-point.", "it cools while the rest goes on",
        ("camera",), ("camera_within_c",),
        wanted=lambda rig: rig.camera is not None and rig.camera.cooler is not None,
    ),
    Known(
        "roof open", ("connected", "safe"), "The roof is open.", "it is opened", ("roof",),
        wanted=lambda rig: rig.roof is not None,
    ),
    Known(
        "heaters", ("connected",), "The dew heaters are at the rig's levels.", "they are set", ("heaters",),
        wanted=lambda rig: rig.heaters is not None,
    ),
    Known(
        "cover open", ("connected",), "The cover is open.", "it is opened", ("cover",),
        wanted=lambda rig: rig.cover is not None,
    ),
    Known(
        "pier side", ("connected", "roof open"), "On the right side of the pier for the whole frame.",
        "the flip comes: Vigil waits for its window, slews again and confirms it by a solved frame",
        ("mount",),
        ("centre_after_flip", "focus_after_flip"), may_be_off=False, wanted=_flips,
    ),
    Known(
        "tracking", ("connected", "roof open", "pier side"), "The mount is awake and follows the sky.",
        "it is unparked", ("mount",), may_be_off=False,
    ),
    Known(
        "polar aligned", ("tracking",), "The polar axis was measured tonight, and is near enough.",
        "Vigil measures it near the pole, and asks you to turn the adjusters",
        ("mount", "guide camera", "camera"),
        ("polar_within_arcmin", "polar_wait_min", "polar_unanswered"), wanted=has_polar_axis,
    ),
    Known(
        "guide calibrated", ("tracking",), "A guide calibration that serves; it may be years old.",
        "Vigil goes near the equator and the meridian, and makes one", ("guide camera", "mount"),
        ("guide_calibrate", "guide_calibrate_away"), wanted=guides,
    ),
    Known(
        "pointed", ("tracking", "guide calibrated"), "The mount says that it points there.", "it slews",
        ("mount",),
        may_be_off=False,
    ),
    Known(
        "focus fresh", ("pointed", "cover open"),
        "Focused lately, at about this temperature, and stars still small.",
        "a run follows stars through the lowest point of their sizes", ("focuser", "camera", "filter wheel"),
        (
            "focus_colder_by_c", "focus_averaged_min", "focus_every_min", "focus_every_frames",
            "focus_grown_by_percent", "focus_weighed", "focus_follows",
            "focus_elsewhere", "focus_at_new_target",
            "focus_at_filter_change",
        ),
        wanted=lambda rig: rig.focuser is not None,
    ),
    Known(
        "camera angle", ("pointed", "focus fresh"), "The camera is turned as the target wants it.",
        "the rotator turns it, or a person is told how far and which way", ("rotator", "camera"),
        ("angle_within_deg", "turn_wait_min", "turn_unanswered"),
    ),
    Known(
        "on target", ("pointed", "focus fresh", "camera angle"), "A solved frame says so, to a few pixels.",
        "frames are solved, and the mount is moved by what is missing", ("mount", "camera"),
        ("target_reach_px", "target_keep_arcmin"),
    ),
    Known(
        "dithered", ("on target",), "Moved a little every so many frames.",
        "the guider moves the star, or without one a small slew follows; in pixels of the main camera",
        ("mount",),
        ("dither_every_frames", "dither_once_a_round", "dither_px"),
    ),
    Known(
        "filter", ("on target", "focus fresh", "dithered"), "The line's filter is in the beam.",
        "the wheel turns, and the focuser moves by the filter's offset", ("filter wheel", "focuser"),
        may_be_off=False,
        wanted=lambda rig: rig.focuser is not None or "filter wheel" in rig.device_names,
    ),
    Known(
        "guiding settled", ("on target",), "The guide star stands where it belongs, and has for a while.",
        "stars are chosen, calibrated by where need be, and followed by corrections; beside everything else",
        ("guide camera", "mount"),
        (
            "guide_within_arcsec", "guide_unsettled", "guide_error_arcsec", "guide_error_s",
        ),
        wanted=guides,
    ),
)  # fmt: skip


def known(name: str) -> Known | None:
    """The condition of a name; None for one that plans can't name."""
    return next((entry for entry in KNOWN if entry.name == name), None)


def wrong_order(named: Sequence[MustHold]) -> list[str]:
    """What contradicts in a plan's own order, one sentence each with what would be right.

    The named ones come first, in their order; the others follow in the usual one.
    """
    names, by_name = [n.name for n in named], {known.name: known for known in KNOWN}
    found = [
        f"there is no condition {name!r}; there are {', '.join(by_name)}"
        for name in names
        if name not in by_name
    ]
    found += [f"{name!r} stands twice" for name in dict.fromkeys(names) if names.count(name) > 1]
    if found:
        return found
    off = {n.name for n in named if n.off}
    found += [
        f"{name!r} can't be switched off: a night relies on it"
        for name in names
        if name in off and not by_name[name].may_be_off
    ]
    order = names + [known.name for known in KNOWN if known.name not in names]
    for place, name in enumerate(order):
        late = [a for a in by_name[name].after if a not in off and order.index(a) > place]
        if name not in off and late:
            found.append(f"{name!r} stands before {late[0]!r}, which it relies on; put it after that")
    return found
