"""The mount: its limits, its flip, what guides it."""

from collections.abc import Iterator

from vigil.documents.rig import Rig
from vigil.documents.rig.mount import FlipWindow, MountPart
from vigil.planning.muster.finding import Finding, Known, Remedy

_FLIP_TAKES_MIN = 3.0


def findings(rig: Rig, known: Known) -> Iterator[Finding]:
    """Everything about the mount."""
    mount = rig.mount
    if mount is None:
        yield Finding(("mount",), "There is no mount: nothing points the telescope.")
        return
    if mount.lowest_altitude_deg >= mount.highest_altitude_deg:
        yield Finding(
            ("mount", "lowest_altitude_deg"),
            f"The lowest altitude {mount.lowest_altitude_deg:g}° is not under the highest, "
            f"{mount.highest_altitude_deg:g}°.",
        )
    if rig.site.minimum_altitude_deg < mount.lowest_altitude_deg:
        yield Finding(
            ("site", "minimum_altitude_deg"),
            f"The site allows down to {rig.site.minimum_altitude_deg:g}°, the mount stops at "
            f"{mount.lowest_altitude_deg:g}°.",
            remedy=Remedy(f"Set to {mount.lowest_altitude_deg:g}°", mount.lowest_altitude_deg),
        )
    if mount.corrections != "mount" and rig.guider is None:
        yield Finding(
            ("mount", "corrections"),
            "Corrections are to go through the guide camera's port, and the rig has no guide camera.",
            remedy=Remedy("through the mount", "mount"),
        )
    if mount.kind == "alt-azimuth" and (rig.rotator is None or rig.rotator.by != "motor"):
        yield Finding(
            ("rotator",),
            "On an alt-azimuth mount the field turns by up to 15° an hour times cos(latitude)/cos(altitude), "
            "and no motor turns the camera with it.",
        )
    yield from _flip(mount, known)


def _flip(mount: MountPart, known: Known) -> Iterator[Finding]:
    if mount.kind != "german":
        if mount.flip is not None:
            yield Finding(
                ("mount", "flip"),
                f"A {mount.kind} mount needs no flip, and the rig has a flip window.",
                remedy=Remedy("leave it out", None),
            )
        return
    if mount.flip is None:
        yield Finding(
            ("mount", "flip"), "A German mount flips at the meridian, and no window says when it may."
        )
    for key in ("flip", "flip_other_side"):
        window: FlipWindow | None = getattr(mount, key)
        if window is not None:
            yield from _window(window, ("mount", key), known)


def _window(window: FlipWindow, place: tuple[str, ...], known: Known) -> Iterator[Finding]:
    latest, earliest = window.latest_min, window.earliest_min
    if latest is not None and latest < 0:
        yield Finding(
            (*place, "latest_min"),
            f"The flip window ends {-latest:g} min before the meridian, and a mount changes sides only after "
            f"it: it stands still for {-latest:g} min or more before each flip.",
            doubt=True,
        )
    if latest is not None and latest <= earliest:
        yield Finding(
            (*place, "latest_min"),
            f"The flip window ends {latest:g} min after the meridian, before it begins at {earliest:g}.",
        )
        return
    if window.preferred_min is not None:
        late = latest is not None and window.preferred_min > latest
        if window.preferred_min < earliest or late:
            ends = "any time" if latest is None else f"{latest:g}"
            yield Finding(
                (*place, "preferred_min"),
                f"The preferred moment, {window.preferred_min:g} min, is outside the window "
                f"{earliest:g} to {ends}.",
                remedy=Remedy(f"Set to {earliest:g} min", earliest),
            )
    if latest is None:
        return
    width = latest - earliest
    if width < window.buffer_min + _FLIP_TAKES_MIN:
        yield Finding(
            (*place, "buffer_min"),
            f"The flip window of {width:g} min holds no flip of {_FLIP_TAKES_MIN:g} min and the buffer of "
            f"{window.buffer_min:g} min.",
        )
    elif known.longest_exposure_s is not None and known.longest_exposure_s > 60 * (width - window.buffer_min):
        yield Finding(
            (*place, "latest_min"),
            f"The flip window {earliest:g}–{latest:g} min, less {window.buffer_min:g} min of "
            "buffer, is shorter "
            f"than an exposure of {known.longest_exposure_s:g} s: the flip has to wait for none to be lost.",
            doubt=True,
        )
