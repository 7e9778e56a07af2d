"""The rig document: migrated, changed value by value, compared, kept in a folder of one's own."""

import json
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import demo_rig
from vigil.cli.files import EXAMPLE_RIGS, demo_file, my_rigs
from vigil.documents.rig import Rig
from vigil.documents.rig.change import (
    Path as FieldPath,
)
from vigil.documents.rig.change import (
    differences,
    field_at,
    path_of,
    split,
    value_at,
    with_value,
    with_values,
    words_for,
)
from vigil.documents.rig.mount import FlipWindow
from vigil.documents.rig.rigs import Rigs, RigsError
from vigil.documents.store import DocumentError, dump, line_of, load, parse, save

SCHEMA_1 = {
    "kind": "rig", "schema": 1, "id": "old-one", "name": "Old one",
    "site": {"name": "Fen", "latitude_deg": 52.0, "longitude_deg": 5.0, "time_zone": "Europe/Amsterdam"},
    "telescope": {"name": "Tube", "focal_length_mm": 400, "aperture_mm": 80},
    "camera": {
        "name": "Cam", "columns": 3000, "rows": 2000, "pixel_um": 3.8, "gain": 120, "offset": 30,
        "electrons_per_adu": 0.5, "full_scale_adu": 65535, "set_point_c": -5, "warm_to_c": 3,
        "download_s": 1.5,
    },
    "wheel": {
        "name": "Wheel", "slots": 2, "focus_through": "L", "solve_through": "L",
        "filters": [
            {"slot": 1, "name": "L", "centre_nm": 550, "width_nm": 300},
            {"slot": 2, "name": "Ha", "centre_nm": 656.3, "width_nm": 6, "focus_offset_steps": 20},
        ],
    },
    "focuser": {"name": "Focuser", "um_per_step": 4.0, "overshoot_steps": 90},
    "mount": {"name": "Mount", "kind": "german", "slew_deg_s": 2},
}  # fmt: skip


def test_schema_1_is_read_and_its_file_kept_for_good(tmp_path: Path) -> None:
    path = tmp_path / "old-one.json"
    before = json.dumps(SCHEMA_1, indent=1)
    path.write_text(before)
    rig = load(Rig, path)
    assert rig.camera is not None and rig.camera.cooler is not None and rig.wheel is not None
    assert (rig.camera.lights.gain, rig.camera.lights.offset) == (120, 30)
    point = rig.camera.at_gain(120)
    assert (point.electrons_per_adu, point.full_well_e) == (0.5, 0.5 * 65535)
    assert (rig.camera.cooler.set_point_c, rig.camera.cooler.warm_to_c) == (-5, 3)
    assert rig.camera.download_of(1) == rig.camera.download_of(4) == 1.5
    ha = rig.wheel.filter("Ha")
    assert (ha.centre_nm, ha.width_nm, ha.focus_offset_steps) == (656.3, 6, 20)
    assert path.read_text() == before, "reading writes nothing"
    save(rig, path)
    save(rig, path)
    assert (tmp_path / "old-one.json.schema-1").read_text() == before
    assert load(Rig, path) == rig


def test_a_damaged_rig_is_refused_with_line_and_field(tmp_path: Path) -> None:
    text = dump(demo_rig())
    line = text.splitlines().index('    "pixel_um": 3.8,')
    with pytest.raises(DocumentError, match=rf"x: line {line + 1}, camera.pixel_um: "):
        parse(Rig, text.replace('"pixel_um": 3.8', '"pixel_um": "wide"', 1), "x")
    with pytest.raises(DocumentError, match=r"line \d+, wheel.sets.0.filters.4.passbands.0.width_nm: .*-5"):
        parse(Rig, text.replace('"width_nm": 5.0', '"width_nm": -5.0', 1), "x")
    path = tmp_path / "r.json"
    save(demo_rig(), path)
    save(demo_rig(), path)
    path.write_text(text[:200])
    with pytest.raises(DocumentError, match=r"line \d+, column \d+: not valid JSON"):
        load(Rig, path)
    assert load(Rig, tmp_path / "r.json.previous") == demo_rig(), "the last good one stays"


def test_lines_of_places_in_json() -> None:
    text = '{\n "a": {"b": [1,\n 2, {"c": "x, y"}]},\n "d": 4\n}'
    assert [line_of(text, p) for p in ((), ("a",), ("a", "b", 1), ("a", "b", 2, "c"), ("d",))] == [
        1,
        2,
        3,
        3,
        4,
    ]
    assert line_of(text, ("a", "nothing")) == 2, "the nearest there is"


@pytest.mark.parametrize(
    ("field", "value", "says"),
    [
        ("camera.pixel_um", -1, "over 0.2"),
        ("wheel.sets.0.focus_through", "Z", "no filter is called 'Z'"),
        ("focuser.highest", -5, "must be under the highest"),
        ("camera.bayer", "RGGB", "a mono sensor has no Bayer pattern"),
        ("frames.pattern", "{who}", "there is no field {who}"),
        ("mount.park", "nowhere", "no stored position is called 'nowhere'"),
        ("site.time_zone", "Europe/Nowhere", "not a time zone"),
        ("rotator", {"name": "R", "lowest_deg": 90, "highest_deg": 10}, "must be under"),
    ],
)
def test_a_bad_value_is_refused_with_what_would_be_right(field: str, value: Any, says: str) -> None:
    rig = demo_rig()
    with pytest.raises(DocumentError) as caught:
        with_value(rig, path_of(field), value)
    assert says in str(caught.value)
    assert rig == demo_rig()


def test_values_are_changed_by_path() -> None:
    rig = demo_rig()
    changed = with_values(
        rig, {("camera", "cooler", "set_point_c"): -5, ("wheel", "sets", 0, "filters", 4, "gain"): 200}
    )
    assert value_at(changed, ("camera", "cooler", "set_point_c")) == -5
    assert [d.words for d in differences(rig, changed)] == [
        "filters · filter sets · 1 · filters · 5 · gain",
        "camera · cooler · set-point",
    ]
    with pytest.raises(KeyError, match=r"Heron 480 has no camera\.nothing"):
        with_value(rig, ("camera", "nothing"), 1)
    assert with_value(rig, ("rotator",), None) == rig
    assert with_value(rig, ("guider",), None).guider is None


def test_every_field_says_how_it_is_called() -> None:
    """No field of any part without a label, and none that only its maker understands."""

    def walk(value: Any, path: FieldPath) -> None:
        if isinstance(value, dict):
            for key, inner in value.items():
                here = (*path, key)
                if len(here) > 1:
                    assert field_at(here) is not None, here
                    assert "_" not in words_for(here), here
                walk(inner, here)
        elif isinstance(value, list) and value and isinstance(value[0], dict):
            walk(value[0], (*path, 0))

    for name in EXAMPLE_RIGS:
        rig = load(Rig, demo_file(f"{name}.json"))
        data = rig.model_dump(mode="json")
        walk({k: v for k, v in data.items() if isinstance(v, dict) and k != "simulated"}, ())


@pytest.mark.parametrize(
    ("field", "value", "safe"),
    [
        ("wheel.sets.0.filters.0.focus_exposure_s", 9.0, True),
        ("panel.highest_level", 100, True),
        ("heaters.outputs.0.level_percent", 80.0, True),
        ("mount.settle_s", 9.0, True),
        ("mount.flip.latest_min", 15.0, True),
        ("mount.flip.earliest_min", 6.0, True),
        ("mount.flip.latest_min", 25.0, False),
        ("mount.flip.latest_min", None, False),
        ("mount.flip.earliest_min", -5.0, False),
        ("mount.flip", None, False),
        ("telescope.focal_length_mm", 500.0, False),
        ("camera.cooler.set_point_c", -5.0, False),
        ("site.latitude_deg", 48.0, False),
        ("wheel.sets.0.filters.0.slot", None, False),
        ("guider", None, False),
    ],
)
def test_what_may_change_while_a_night_runs(field: str, value: Any, safe: bool) -> None:
    old = demo_rig()
    new = with_value(old, path_of(field), value)
    mixed, now, later = split(old, new)
    assert (len(now), len(later)) == ((1, 0) if safe else (0, 1))
    assert mixed == (new if safe else old)


def test_a_flip_window_is_narrower_only_within_the_other() -> None:
    window = FlipWindow(earliest_min=5, latest_min=15)
    assert window.narrower_than(FlipWindow(earliest_min=5, latest_min=None))
    assert not FlipWindow(earliest_min=4, latest_min=15).narrower_than(window)


def test_sensor_figures_between_the_known_gains() -> None:
    camera = demo_rig().camera
    assert camera is not None
    assert camera.at_gain(150).electrons_per_adu == pytest.approx((0.5 + 0.25) / 2)
    assert camera.at_gain(1000).read_noise_e == 1.3 and camera.at_gain(100).full_well_e == 32000
    assert camera.settings_for("focusing").gain == 100, "what is left open is that of the lights"


def test_export_delete_import_gives_the_same_rig(tmp_path: Path) -> None:
    rigs = Rigs(tmp_path / "rigs", [demo_file("heron-480.json")])
    mine = rigs.copy(demo_rig(), "Heron, at the hut")
    assert mine.id == "heron-at-the-hut" and rigs.path_of(mine.id) == rigs.own_path(mine.id)
    rigs.export(mine.id, tmp_path / "out.json")
    rigs.delete(mine.id)
    with pytest.raises(RigsError, match="there are heron-480"):
        rigs.load(mine.id)
    assert rigs.import_file(tmp_path / "out.json") == mine == rigs.load(mine.id)
    assert rigs.import_file(tmp_path / "out.json") == mine, "once more changes nothing"
    assert len(rigs.entries()) == 2
    other = with_value(mine, ("telescope", "aperture_mm"), 90)
    save(other, tmp_path / "out.json")
    assert rigs.import_file(tmp_path / "out.json").id == "heron-at-the-hut-2", "no other rig is overwritten"


def test_a_deleted_rig_comes_back_and_examples_stay(tmp_path: Path) -> None:
    rigs = Rigs(tmp_path / "rigs", [demo_file("heron-480.json")])
    blank = rigs.blank("Heron 480")
    assert blank.id == "heron-480-2" and blank.telescope is None
    rigs.delete(blank.id)
    assert rigs.restore(blank.id) == blank
    with pytest.raises(RigsError, match="an example"):
        rigs.delete("heron-480")
    (tmp_path / "rigs" / "broken.json").write_text("{")
    broken = next(e for e in rigs.entries() if e.id == "broken")
    assert broken.rig is None and "not valid JSON" in broken.problem


def test_the_examples_are_there(own_folders: Path) -> None:
    assert [e.id for e in my_rigs().entries()] == list(EXAMPLE_RIGS)
