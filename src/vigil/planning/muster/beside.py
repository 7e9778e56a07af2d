"""Flat panel, roof, weather, heaters, power, and the frames' names."""

from collections.abc import Iterator

from vigil.documents.rig import Rig
from vigil.planning.muster.finding import Finding, Known, Remedy

_FEWEST_STALE_S = 5.0
_NEEDED = ("camera", "focuser", "mount", "filter wheel")
_PART_OF_FED = {"filter wheel": "wheel", "flat panel": "panel"}


def findings(rig: Rig, known: Known) -> Iterator[Finding]:
    """Everything beside the train."""
    yield from _panel(rig)
    yield from _roof_and_weather(rig)
    yield from _power(rig)
    pattern = rig.frames.pattern
    if "{number}" not in pattern and "{time}" not in pattern:
        yield Finding(
            ("frames", "pattern"),
            "The naming pattern has neither {number} nor {time}: "
            "frames of one line are told apart by -2, -3 only.",
            doubt=True,
        )


def _panel(rig: Rig) -> Iterator[Finding]:
    panel = rig.panel
    if panel is None:
        return
    brightest = max(1, panel.levels)
    if panel.highest_level is not None and panel.highest_level > brightest:
        yield Finding(
            ("panel", "highest_level"),
            f"Step {panel.highest_level} does not exist: the brightest is {brightest}.",
            remedy=Remedy(f"Set to {brightest}", brightest),
        )
    if panel.lowest_level > panel.top:
        yield Finding(
            ("panel", "lowest_level"),
            f"The flat panel's lowest step, {panel.lowest_level}, is above its highest, {panel.top}.",
        )
    if rig.camera is not None and panel.shortest_exposure_s < rig.camera.shortest_exposure_s:
        yield Finding(
            ("panel", "shortest_exposure_s"),
            f"Flats of {panel.shortest_exposure_s:g} s are allowed, the camera's shortest clean exposure is "
            f"{rig.camera.shortest_exposure_s:g} s.",
            remedy=Remedy(f"Set to {rig.camera.shortest_exposure_s:g} s", rig.camera.shortest_exposure_s),
        )


def _roof_and_weather(rig: Rig) -> Iterator[Finding]:
    if rig.roof is not None:
        if rig.weather is None and rig.safety is None:
            yield Finding(
                ("roof",),
                "Nothing tells the roof when to close: the rig has no weather station or safety sensor.",
            )
        if rig.mount is None and not rig.roof.clears_telescope:
            yield Finding(
                ("roof", "clears_telescope"),
                "The roof waits for the mount to be parked, and the rig has none.",
            )
    weather = rig.weather
    if weather is not None:
        limits = (weather.wind_limit_m_s, weather.humidity_limit_percent, weather.cloud_limit_percent)
        if all(limit is None for limit in limits):
            yield Finding(
                ("weather", "wind_limit_m_s"), "The weather station has no limit at all: it warns of nothing."
            )
        if weather.humidity_limit_percent is not None and weather.humidity_limit_percent >= 100:
            yield Finding(
                ("weather", "humidity_limit_percent"),
                "Humidity never passes 100 %: the limit warns of nothing.",
            )
        if weather.cloud_limit_percent is not None and weather.cloud_limit_percent >= 100:
            yield Finding(
                ("weather", "cloud_limit_percent"), "Cloud never passes 100 %: the limit warns of nothing."
            )
    for key, part in (("weather", weather), ("safety", rig.safety)):
        if part is not None and part.stale_after_s < _FEWEST_STALE_S:
            yield Finding(
                (key, "stale_after_s"),
                f"{part.name} would be stale after {part.stale_after_s:g} s, and is asked once a second: "
                f"{_FEWEST_STALE_S:g} s is the least that doesn't flap.",
            )


def _power(rig: Rig) -> Iterator[Finding]:
    if rig.heaters is not None:
        names = [output.name for output in rig.heaters.outputs]
        for n, name in enumerate(names):
            if name in names[:n]:
                yield Finding(("heaters", "outputs", n, "name"), f"Two heaters are called {name!r}.")
    for n, outlet in enumerate(rig.power.outlets if rig.power else []):
        if outlet.feeds is None:
            continue
        part = _PART_OF_FED.get(outlet.feeds, outlet.feeds)
        if getattr(rig, part) is None:
            yield Finding(
                ("power", "outlets", n, "feeds"),
                f"Outlet {outlet.name!r} feeds the {outlet.feeds}, which the rig doesn't have.",
                remedy=Remedy("feeds nothing", None),
            )
        elif outlet.feeds in _NEEDED and not outlet.on_at_start:
            yield Finding(
                ("power", "outlets", n, "on_at_start"),
                f"Outlet {outlet.name!r} is off at the start, and the {outlet.feeds} hangs on it.",
                remedy=Remedy("switch it on", True),
            )
