"""A rig's parts as the window names them, with what is to be said of each."""

from dataclasses import dataclass

from vigil.documents.rig import Rig
from vigil.ui import words


@dataclass(frozen=True, slots=True)
class Part:
    """`device` is the name its lamp goes by; empty for a part that is no device."""

    key: str
    title: str
    name: str
    device: str
    brief: str
    facts: tuple[tuple[str, str], ...]


def parts_of(rig: Rig) -> list[Part]:
    """From sky to sensor, then what stands beside the train."""
    telescope, camera, wheel, focuser, mount = rig.telescope, rig.camera, rig.wheel, rig.focuser, rig.mount
    return [
        Part(
            "telescope", "telescope", telescope.name, "",
            f"{telescope.focal_length_mm:g} mm f/{telescope.focal_ratio:.3g}",
            (
                ("focal length", f"{telescope.focal_length_mm:g} mm"),
                ("aperture", f"{telescope.aperture_mm:g} mm"),
                ("focal ratio", f"f/{telescope.focal_ratio:.3g}"),
            ),
        ),
        Part(
            "focuser", "focuser", focuser.name, "focuser", f"{focuser.um_per_step:g} µm a step",
            (
                ("range", f"{focuser.lowest} … {focuser.highest}"),
                ("step", f"{focuser.um_per_step:g} µm"),
                ("arrives", f"{focuser.approach}, {focuser.overshoot_steps} beyond"),
                ("search step", f"{focuser.search_step}"),
            ),
        ),
        Part(
            "wheel", "filters", wheel.name, "filter wheel",
            f"{len(wheel.filters)} of {wheel.slots} slots",
            (
                *((f"{part.slot}  {part.name}", f"{part.centre_nm:g} ± {part.width_nm / 2:g} nm")
                  for part in wheel.filters),
                ("focus through", wheel.focus_through),
                ("solve through", wheel.solve_through),
            ),
        ),
        Part(
            "camera", "camera", camera.name, "camera",
            f"{words.signed(camera.set_point_c, 0)} °C",
            (
                ("pixels", f"{camera.columns} {words.TIMES} {camera.rows}"),
                ("pixel", f"{camera.pixel_um:g} µm"),
                ("gain, offset", f"{camera.gain}, {camera.offset}"),
                ("electrons", f"{camera.electrons_per_adu:g} e⁻/ADU"),
                ("set-point", f"{words.signed(camera.set_point_c, 0)} °C"),
                ("cools in", f"{camera.minutes_to_cool:g} min"),
                ("warms to", f"{words.signed(camera.warm_to_c, 0)} °C"),
                ("download", f"{camera.download_s:g} s"),
            ),
        ),
        Part(
            "mount", "mount", mount.name, "mount", mount.kind.capitalize(),
            (
                ("kind", mount.kind.capitalize()),
                ("slews at", f"{mount.slew_deg_s:g}°/s"),
                ("settles in", f"{mount.settle_s:g} s"),
            ),
        ),
        Part(
            "site", "site", rig.site.name, "", words.dec(rig.site.latitude_deg)[:8],
            (
                ("latitude", f"{words.signed(rig.site.latitude_deg, 4)}°"),
                ("longitude", f"{words.signed(rig.site.longitude_deg, 4)}°"),
                ("height", f"{rig.site.height_m:g} m"),
                ("time zone", rig.site.time_zone),
                ("nothing under", f"{rig.site.minimum_altitude_deg:g}°"),
            ),
        ),
    ]  # fmt: skip


IN_THE_TRAIN = ("telescope", "focuser", "wheel", "camera")
