"""A rig's parts as the window names them, in order from sky to sensor, then what stands beside the train."""

from dataclasses import dataclass

from vigil.documents.devicekinds import name_of_part
from vigil.documents.messages import DeviceReport
from vigil.documents.rig import Rig
from vigil.documents.rig.change import part_name
from vigil.ui import words

IN_THE_TRAIN = ("telescope", "focuser", "reducer", "guider", "rotator", "wheel", "camera")
BESIDE = ("mount", "panel", "cover", "roof", "weather", "safety", "heaters", "power")
ALWAYS = ("site", "frames")
"""Parts that every rig has."""


@dataclass(frozen=True, slots=True)
class ShownPart:
    """`device` is the name its lamp goes by; empty for a part that is no device."""

    key: str
    title: str
    name: str
    device: str
    brief: str


def parts_of(rig: Rig) -> list[ShownPart]:
    """Those that the rig has."""
    keys = [key for key in (*IN_THE_TRAIN, *BESIDE) if getattr(rig, key) is not None]
    return [_part(rig, key) for key in (*keys, *ALWAYS)]


def missing_parts(rig: Rig) -> list[str]:
    """The keys of those that can be added."""
    return [key for key in (*IN_THE_TRAIN, *BESIDE) if getattr(rig, key) is None]


def title_of(key: str, rig: Rig) -> str:
    """What a part is called on the train."""
    if key == "reducer" and rig.reducer is not None and rig.reducer.factor == 1.0:
        return "flattener"
    if key == "guider" and rig.guider is not None:
        return rig.guider.kind
    return part_name(key)


def _part(rig: Rig, key: str) -> ShownPart:
    part = getattr(rig, key)
    device = name_of_part(key)
    shown_device = device if device in rig.device_names else ""
    name = getattr(part, "name", "")
    return ShownPart(key, title_of(key, rig), name, shown_device, _BRIEFS[key](rig))


def _focuser(rig: Rig) -> str:
    return f"{rig.focuser.um_per_step:g} µm/step" if rig.focuser else ""


def _wheel(rig: Rig) -> str:
    if rig.wheel is None:
        return ""
    return f"{len(rig.wheel.filters)} of {rig.wheel.slots}" if rig.wheel.kind == "wheel" else "by hand"


def _camera(rig: Rig) -> str:
    if rig.camera is None:
        return ""
    cooler = rig.camera.cooler
    return f"{words.signed(cooler.set_point_c, 0)} °C" if cooler else "no cooler"


def _mount(rig: Rig) -> str:
    return {"german": "German"}.get(rig.mount.kind, rig.mount.kind) if rig.mount else ""


def _panel(rig: Rig) -> str:
    if rig.panel is None:
        return ""
    return f"steps {rig.panel.lowest_level}–{rig.panel.top}" if rig.panel.levels else "on or off"


def _count(number: int, one: str) -> str:
    return f"{number} {one}" if number == 1 else f"{number} {one}s"


_BRIEFS = {
    "telescope": lambda rig: f"{rig.telescope.focal_length_mm:g} mm f/{rig.telescope.focal_ratio:.3g}",
    "focuser": _focuser,
    "reducer": lambda rig: f"{rig.reducer.factor:g} {words.TIMES}",
    "guider": lambda rig: f"{rig.guide_focal_length_mm or 0:.4g} mm",
    "rotator": lambda rig: f"by {rig.rotator.by}",
    "wheel": _wheel,
    "camera": _camera,
    "mount": _mount,
    "panel": _panel,
    "cover": lambda rig: f"opens in {rig.cover.moves_in_s:g} s",
    "roof": lambda rig: f"opens in {rig.roof.moves_in_s:g} s",
    "weather": lambda rig: f"wind ≤ {rig.weather.wind_limit_m_s:g} m/s" if rig.weather.wind_limit_m_s else "",
    "safety": lambda rig: f"stale after {rig.safety.stale_after_s:g} s",
    "heaters": lambda rig: _count(len(rig.heaters.outputs), "heater"),
    "power": lambda rig: _count(len(rig.power.outlets), "outlet"),
    "site": lambda rig: words.dec(rig.site.latitude_deg)[:8],
    "frames": lambda rig: rig.frames.folder or "Vigil's own folder",
}


def state_words(report: DeviceReport, rig: Rig) -> str:
    """What a connected device says of itself, in a few words; empty when it says nothing."""
    said = report.state
    if report.lamp not in ("ready", "busy"):
        return ""
    if report.doing:
        return report.doing
    match report.name:
        case "camera" | "guide camera":
            return f"{words.signed(said['temperature_c'], 1)} °C"
        case "filter wheel":
            if said["slot"] is None:
                return "turning"
            held = [f.name for f in rig.wheel.filters if f.slot == said["slot"]] if rig.wheel else []
            return held[0] if held else f"slot {said['slot']}"
        case "focuser":
            return words.grouped(said["position"])
        case "mount":
            return "parked" if said["parked"] else "tracking" if said["tracking"] else "not tracking"
        case "rotator":
            return f"{said['angle_deg']:g}°"
        case "flat panel":
            return f"step {said['level']}" if said["level"] else "dark"
        case "cover" | "roof":
            return str(said["shutter"])
        case "weather station":
            return f"{words.signed(said['temperature_c'], 1)} °C, {said['wind_m_s']:g} m/s"
        case "safety sensor":
            return "safe" if said["safe"] else "unsafe"
        case "heaters":
            return ", ".join(f"{level:g} %" for level in said["levels_percent"].values())
        case "power":
            on = list(said["on"].values())
            return f"{sum(on)} of {len(on)} on"
    return ""
