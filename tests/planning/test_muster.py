"""Muster finds every planted contradiction, with its numbers and the field, and nothing on clean rigs."""

from typing import Any

import pytest

from vigil.cli.files import EXAMPLE_RIGS, demo_file
from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.messages import DeviceReport
from vigil.documents.rig import Rig
from vigil.documents.rig.change import field_at, path_of, text_of, value_at, with_values
from vigil.documents.store import load
from vigil.planning.muster import Finding, Known, muster

EVENING = {"ambient_c": 2.0, "free_bytes": 10**11, "longest_exposure_s": 300.0}
HERON, STORK, TERN = EXAMPLE_RIGS


def rig_of(name: str) -> Rig:
    return load(Rig, demo_file(f"{name}.json"))


def reports(rig: Rig, **changes: dict[str, Any]) -> list[DeviceReport]:
    """Every device connected and of the document's mind, but for some changes by part."""
    return [
        DeviceReport(name=name, lamp="ready").model_copy(update=changes.get(DEVICE_KINDS[name].part, {}))
        for name in rig.device_names
    ]


@pytest.mark.parametrize("name", EXAMPLE_RIGS)
def test_nothing_on_clean_rigs(name: str) -> None:
    rig = rig_of(name)
    assert muster(rig, Known(**EVENING, reports=reports(rig))) == []  # type: ignore[arg-type]


# (rig, what is planted, where muster must point if not just there, what its words must hold)
PLANTED: list[tuple[str, dict[str, Any], str, list[str]]] = [
    (HERON, {"telescope": None}, "", ["no telescope"]),
    (HERON, {"camera": None}, "", ["no camera"]),
    (HERON, {"mount": None}, "", ["no mount"]),
    (HERON, {"telescope.aperture_mm": 8}, "", ["480 mm", "8 mm", "f/60"]),
    (STORK, {"telescope.obstruction_mm": 210}, "", ["210 mm", "200 mm"]),
    (HERON, {"camera.pixel_um": 0.21}, "", ["0.21 µm", "0.0902″"]),
    (HERON, {"guider.focal_length_mm": None}, "", ["no focal length"]),
    (STORK, {"guider.kind": "guide scope", "guider.focal_length_mm": 80},
     "guider.focal_length_mm", ["10.31″", "16.5"]),
    (HERON, {"guider.dither_px": 1}, "", ["1 main pixels", "0.36 guide pixels"]),
    (STORK, {"rotator.highest_deg": 120}, "", ["0 to 120°"]),
    (HERON, {"camera.lights.gain": 500}, "", ["500", "0 to 300"]),
    (HERON, {"camera.focusing.gain": 900}, "", ["900 for focusing"]),
    (HERON, {"camera.readout_modes.0.gains.2.electrons_per_adu": 0.9}, "", ["0.9 e⁻/ADU", "0.5 at 100"]),
    (HERON, {"camera.readout_modes.0.gains.1.read_noise_e": 0}, "", ["0 e⁻"]),
    (HERON, {"camera.lights.offset": 0}, "", ["offset of 0"]),
    (HERON, {"camera.full_scale_adu": 4095}, "", ["16 bits", "4095"]),
    (HERON, {"camera.download_s": [2.0, 3.0]}, "", ["3 s", "2 s"]),
    (HERON, {"camera.cooler.set_point_c": -40}, "", ["−40 °C", "2.0 °C", "−33.0 °C"]),
    (HERON, {"camera.cooler.set_point_c": 10, "camera.cooler.warm_to_c": 15},
     "camera.cooler.set_point_c", ["10 °C", "can't heat"]),
    (HERON, {"camera.cooler.warm_to_c": -15}, "", ["−15 °C", "−10 °C"]),
    (HERON, {"camera.cooler.warm_minutes_limit": 1}, "", ["10.0 °C a minute"]),
    (HERON, {"camera.cooler.minutes_to_cool": 1}, "", ["35 °C a minute"]),
    (HERON, {"wheel.sets.0.filters.2.slot": None}, "", ["G stands in no slot"]),
    (HERON, {"wheel.sets.0.filters.1.letter": "L"}, "", ["'L'", "R"]),
    (HERON, {"wheel.sets.0.filters.0.focus_offset_steps": 7}, "", ["7"]),
    (HERON, {"wheel.sets.0.filters.4.focus_offset_steps": 4000}, "", ["4000 steps", "12000"]),
    (HERON, {"focuser": None}, "wheel.sets.0.filters.1.focus_offset_steps", ["12 steps", "there is none"]),
    (HERON, {"wheel.sets.0.filters.3.gain": 999}, "", ["999 for B"]),
    (HERON, {"focuser.um_per_step": 60}, "", ["96.6 µm", "1.6 steps", "60 µm"]),
    (HERON, {"focuser.controller_steps": 80}, "", ["twice", "120", "80"]),
    (HERON, {"focuser.backlash_by": "controller"}, "focuser.controller_steps", ["set to 0 steps"]),
    (HERON, {"focuser.backlash_by": "nobody", "focuser.controller_steps": 40},
     "focuser.controller_steps", ["40"]),
    (HERON, {"focuser.overshoot_steps": 0}, "", ["overshoot of 0"]),
    (HERON, {"focuser.start": 13000}, "", ["13000", "0 to 12000"]),
    (HERON, {"focuser.search_step": 2000}, "", ["10000 to each side", "0 to 12000"]),
    (HERON, {"focuser.start": 250, "focuser.search_step": 10, "focuser.overshoot_steps": 300},
     "focuser.overshoot_steps", ["300 steps", "end at 0"]),
    (HERON, {"focuser.probe": "none"}, "", ["-7 steps", "no probe"]),
    (HERON, {"focuser.probe": "weather station"}, "", ["the rig has none"]),
    (HERON, {"focuser.coarse_step": 5}, "", ["5", "10"]),
    (HERON, {"mount.lowest_altitude_deg": 89.5, "mount.highest_altitude_deg": 80},
     "mount.lowest_altitude_deg", ["89.5°", "80°"]),
    (HERON, {"site.minimum_altitude_deg": 2}, "", ["2°", "5°"]),
    (TERN, {"mount.corrections": "guide camera's port"}, "", ["no guide camera"]),
    (TERN, {"mount.kind": "alt-azimuth"}, "rotator", ["no motor turns the camera"]),
    (TERN, {"mount.flip": {}}, "", ["fork mount needs no flip"]),
    (HERON, {"mount.flip": None}, "", ["no window"]),
    (HERON, {"mount.flip.latest_min": 3}, "", ["3 min", "begins at 5"]),
    (HERON, {"mount.flip.preferred_min": 30}, "", ["30 min", "5 to 20"]),
    (HERON, {"mount.flip.latest_min": 9}, "mount.flip.buffer_min", ["4 min", "buffer of 2"]),
    (STORK, {"panel.highest_level": 5000}, "", ["5000", "4095"]),
    (HERON, {"panel.lowest_level": 250}, "", ["250, is above its highest, 240"]),
    (HERON, {"panel.shortest_exposure_s": 0.001}, "", ["0.001 s", "0.02 s"]),
    (STORK, {"weather": None, "safety": None}, "roof", ["when to close"]),
    (STORK, {"weather.wind_limit_m_s": None, "weather.humidity_limit_percent": None,
      "weather.cloud_limit_percent": None},
     "weather.wind_limit_m_s", ["no limit"]),
    (STORK, {"weather.humidity_limit_percent": 100}, "", ["100 %"]),
    (STORK, {"safety.stale_after_s": 1}, "", ["1 s", "5 s"]),
    (HERON, {"heaters.outputs.1.name": "telescope"}, "", ["'telescope'"]),
    (HERON, {"power.outlets.0.feeds": "rotator"}, "", ["rotator"]),
    (HERON, {"power.outlets.1.on_at_start": False}, "", ["off at the start", "camera"]),
    (HERON, {"frames.pattern": "{target}_{filter}"}, "", ["{number}", "{time}"]),
    (HERON, {"site.latitude_deg": 0, "site.longitude_deg": 0}, "site.latitude_deg", ["0°, 0°"]),
    (HERON, {"site.time_zone": "America/Lima"}, "", ["-5.0 h", "+0.9 h", "5.9 h apart"]),
    (HERON, {"site.horizon": [{"azimuth_deg": 0, "altitude_deg": 80}]}, "", ["80°"]),
]  # fmt: skip


@pytest.mark.parametrize(
    ("name", "planted", "field", "says"), PLANTED, ids=[f"{p[0]} {' '.join(p[1])}" for p in PLANTED]
)
def test_each_planted_contradiction_is_found(
    name: str, planted: dict[str, Any], field: str, says: list[str]
) -> None:
    rig = with_values(rig_of(name), {path_of(path): value for path, value in planted.items()})
    field = field or next(iter(planted))
    found = muster(rig, Known(**EVENING))  # type: ignore[arg-type]
    here = [f for f in found if text_of(f.path) == field and all(words in f.words for words in says)]
    assert here, [(text_of(f.path), f.words) for f in found]
    for finding in found:
        leads_to_a_field(rig, finding)


def test_there_are_forty_and_more() -> None:
    assert len({(name, field, says[0]) for name, _, field, says in PLANTED}) >= 40


def leads_to_a_field(rig: Rig, finding: Finding) -> None:
    """The link works: a part of the rig, or a field of one."""
    value_at(rig, finding.path)
    assert len(finding.path) == 1 or field_at(finding.path) is not None


@pytest.mark.parametrize(
    ("changes", "field", "says"),
    [
        ({"camera": {"lamp": "not connected"}}, "camera", "The camera isn't connected."),
        (
            {"focuser": {"lamp": "fault", "fault": "focuser: connect not done", "advice": "check its cable"}},
            "focuser",
            "Focuser: connect not done; check its cable.",
        ),
        (
            {"camera": {"figures": {"camera.pixel_um": 3.9}}},
            "camera.pixel_um",
            "The camera reports pixel 3.9 µm, the rig says 3.8 µm.",
        ),
        ({"focuser": {"figures": {"focuser.highest": 9000}}}, "focuser.highest", "9000 steps"),
        ({"mount": {"figures": {"site.latitude_deg": 46.0}}}, "site.latitude_deg", "46 °"),
        (
            {"mount": {"figures": {"mount.reports_pier_side": False}}},
            "mount.reports_pier_side",
            "reports tells pier side no, the rig says yes",
        ),
        ({"mount": {"clock_off_s": 20.0}}, "mount", "20 s ahead of the computer's"),
    ],
)
def test_what_the_devices_say(changes: dict[str, Any], field: str, says: str) -> None:
    rig = rig_of(HERON)
    (found,) = muster(rig, Known(reports=reports(rig, **changes)))
    assert text_of(found.path) == field and says in found.words


def test_a_remedy_mends() -> None:
    """One click, and the finding is gone."""
    for name, planted, field, _ in PLANTED:
        rig = with_values(rig_of(name), {path_of(path): value for path, value in planted.items()})
        for finding in muster(rig, Known(**EVENING)):  # type: ignore[arg-type]
            if finding.remedy is not None and not finding.remedy.device:
                mended = with_values(rig, {finding.path: finding.remedy.value})
                left = muster(mended, Known(**EVENING))  # type: ignore[arg-type]
                assert finding not in left, (field, finding.words)


def test_a_short_flip_window_against_the_plan() -> None:
    rig = with_values(rig_of(HERON), {path_of("mount.flip.latest_min"): 12.0})
    (found,) = muster(rig, Known(longest_exposure_s=900.0))
    assert found.doubt and "5–12 min" in found.words and "900 s" in found.words
    assert muster(rig, Known(longest_exposure_s=60.0)) == []


def test_too_little_room() -> None:
    (found,) = muster(rig_of(HERON), Known(free_bytes=10**9))
    assert text_of(found.path) == "frames.folder" and "1.0 GB are free, room for 55 frames" in found.words
