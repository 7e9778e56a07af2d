"""The guiding bench's errands, in a keeper and alone, under the quick sky; and with pixels once."""

import asyncio
import json
import math
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from campaigns.kept import RIG, Place, kept
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.guiding import GUIDE
from vigil.documents.messages import Command, Samples
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.documents.scenario.air import AirEffects, Cloud
from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.documents.scenario.mount import MountEffects
from vigil.engine.errand import ErrandRefused
from vigil.engine.guiding.frames import GuideFrames
from vigil.guiding.calibration import SIDEREAL_ARCSEC_S
from vigil.guiding.choose import Choice
from vigil.ledger.samples import samples_of


def bench(folder: Path, scenario: Scenario | None = None, **so: Any) -> Alone:
    assert RIG.simulated is not None
    at = RIG.simulated.starts_at + timedelta(hours=5)
    quick = so.pop("quick", True)
    return Alone(so.pop("rig", RIG), scenario or Scenario(), 3, at, quick=quick, folder=folder, **so)


def carried_out(order: Alone, kind: str, **values: Any) -> tuple[Event, list[dict[str, Any]], list[Event]]:
    rows: list[dict[str, Any]] = []

    async def use(place: Bench) -> tuple[Event, list[dict[str, Any]], list[Event]]:
        return await place.carry_out(kind, values), rows, place.events

    return on_the_bench(replace(order, sampled=rows.append), use)


def total_arcsec(rows: list[dict[str, Any]]) -> float:
    errors = [row["error"] for row in rows if "error" in row]
    return math.sqrt(sum(ra * ra + dec * dec for ra, dec in errors) / len(errors))


@pytest.mark.parametrize("near", [None, (95.0, 41.0)])
def test_a_calibration_finds_the_mount_s_rate_and_is_kept(
    tmp_path: Path, near: tuple[float, float] | None
) -> None:
    scenario = Scenario(mount=MountEffects(dec_backlash_arcsec=6.0))
    ended, _, _ = carried_out(bench(tmp_path, scenario, near=near), "guide calibration", goes=near is None)
    found = ended.values["calibration"]
    rate = 0.5 * SIDEREAL_ARCSEC_S
    assert found["good"] and found["dec_rate_arcsec_s"] == pytest.approx(rate, rel=0.02)
    cos = math.cos(math.radians(found["dec_deg"]))
    assert found["ra_rate_arcsec_s"] == pytest.approx(rate * cos, rel=0.02)
    assert abs(found["square_off_deg"]) < 1 and found["backlash_arcsec"] == pytest.approx(6.0, abs=1.0)
    assert len(found["moves"]) > 30 and list(tmp_path.glob("guide-calibration_*.json"))


def test_guiding_takes_the_mount_s_error_out_and_uses_a_calibration_that_is_valid(tmp_path: Path) -> None:
    scenario = Scenario(mount=MountEffects(drift_arcsec_min=6.0))
    ended, rows, events = carried_out(bench(tmp_path, scenario), "guiding", frames=150)
    assert ended.values["outcome"] == Outcome.DONE.value and len(rows) == ended.values["frames"] == 150
    assert any(e.reason.startswith("calibrating: none was made yet") for e in events)
    guided = total_arcsec(rows[20:])
    again, rows, events = carried_out(bench(tmp_path, scenario), "guiding", frames=60, exposure_s=2.0)
    assert not any("calibrating" in e.reason for e in events), "it is still valid"
    assert total_arcsec(rows[20:]) < 1.3 * guided
    watched, rows, _ = carried_out(bench(tmp_path, scenario), "guiding", frames=150, corrects=False)
    assert total_arcsec(rows) > 3 * guided and all(row["pulse_ms"] == [0, 0] for row in rows)
    assert watched.reason.startswith("150 frames") and again.values["rms_arcsec"] < 2


def test_it_serves_on_the_other_side_of_the_pier(tmp_path: Path) -> None:
    """Made in the east, used in the west of the meridian."""
    carried_out(bench(tmp_path), "guide calibration", goes=True, side="east")
    at = bench(tmp_path).at + timedelta(hours=3)
    ended, rows, events = carried_out(
        replace(bench(tmp_path), at=at, near=(60.0, 20.0)), "guiding", frames=80, calibrate="never"
    )
    assert ended.values["outcome"] == "done" and total_arcsec(rows[15:]) < 2, ended.reason
    assert not any("wrong way" in e.reason for e in events)


def turned(folder: Path, by_deg: float) -> None:
    """The kept calibration, as if the camera had been turned since."""
    (path,) = folder.glob("guide-calibration_*.json")
    values = json.loads(path.read_text())
    for axis in ("ra", "dec"):
        values[axis]["angle_deg"] = (values[axis]["angle_deg"] + by_deg) % 360
    path.write_text(json.dumps(values))


def test_a_stale_calibration_is_noticed_within_ten_frames_and_made_anew(tmp_path: Path) -> None:
    scenario = Scenario(mount=MountEffects(drift_arcsec_min=20.0))
    carried_out(bench(tmp_path, scenario), "guide calibration")
    turned(tmp_path, 180.0)
    ended, rows, events = carried_out(bench(tmp_path, scenario), "guiding", frames=100)
    assert ended.values["outcome"] == "done" and any("the wrong way" in e.reason for e in events)
    anew = next(k for k, row in enumerate(rows) if row.get("mark") == "calibrate again")
    assert total_arcsec(rows[anew + 15 :]) < 2 and max(abs(row["error"][0]) for row in rows[:anew]) < 30
    turned(tmp_path, 180.0)
    ended, rows, _ = carried_out(bench(tmp_path, scenario), "guiding", frames=100, calibrate="never")
    assert ended.values["outcome"] == "failed" and "the wrong way" in ended.reason and len(rows) < 40


def test_what_it_depends_on_makes_it_invalid(tmp_path: Path) -> None:
    carried_out(bench(tmp_path), "guide calibration")
    for changed, words in (
        ({("mount", "guide_rate"): 0.9}, "the guide rate was 0.5"),
        ({("guider", "focal_length_mm"): 240.0}, "now there is"),
    ):
        rig = with_values(RIG, changed)
        ended, _, _ = carried_out(bench(tmp_path, rig=rig), "guiding", frames=5, calibrate="never")
        assert ended.values["outcome"] == "failed" and words in ended.reason
    ended, _, _ = carried_out(bench(tmp_path), "guiding", frames=5, calibrate="never", binning=2)
    assert "made with binning 1, now it is 2" in ended.reason


def test_a_cloud_is_waited_for_and_a_camera_that_comes_back_too(tmp_path: Path) -> None:
    carried_out(bench(tmp_path), "guide calibration")
    cloud = Cloud(arrives_min=303.0, minutes=4.0, thickness_mag=9.0, edge_min=0.5)
    scenario = Scenario(air=AirEffects(clouds=[cloud]))
    ended, rows, events = carried_out(bench(tmp_path, scenario), "guiding", frames=200)
    assert ended.values["outcome"] == "done" and any("cloud" in e.reason for e in events), ended.reason
    assert "error" in rows[-1] and total_arcsec(rows[-20:]) < 3
    gone = Fault(kind=FaultKind.DISCONNECTS, device="guide camera", at_min=303.0, minutes=20.0)
    ended, rows, _ = carried_out(bench(tmp_path, Scenario(faults=[gone])), "guiding", frames=200)
    assert ended.values["outcome"] == "failed" and "no guide frame" in ended.reason


def test_what_can_not_be_done_is_refused(tmp_path: Path) -> None:
    bare = RIG.model_copy(update={"guider": None})
    for kind in ("guiding", "guide calibration", "guide dark"):
        with pytest.raises(ErrandRefused, match="no guide camera"):
            carried_out(bench(tmp_path, rig=bare), kind)
    with pytest.raises(ErrandRefused, match="exposure_s"):
        carried_out(bench(tmp_path), "guiding", exposure_s=-1)


@pytest.mark.parametrize("kind", ["guiding", "guide calibration", "guide dark"])
def test_stopped_in_the_middle_the_mount_tracks_on(tmp_path: Path, kind: str) -> None:
    async def work(place: Place) -> None:
        await place.do("all", "connect")
        await place.do("mount", "unpark")
        values = {"covered": True, "frames": 50} if kind == "guide dark" else {}
        answer = await place.ask(Command.BEGIN, kind=kind, **values)
        assert answer.taken, answer.reason
        await asyncio.sleep(45)
        assert [e.kind for e in await place.under_way()] == [kind]
        await place.ask(Command.STOP_ERRAND, errand=answer.reason)
        ended = await place.until(Kind.ERRAND_ENDED, errand=answer.reason)
        assert ended.values["outcome"] == "stopped"
        await asyncio.sleep(20)
        devices = place.keeper._equipment.devices
        assert devices.mount is not None and devices.guide_camera is not None
        await devices.guide_camera.refresh()
        assert devices.guide_camera.state is not None and devices.guide_camera.state.activity == "idle"
        if kind != "guide dark":
            await devices.mount.refresh()
            assert devices.mount.state is not None and devices.mount.state.tracking

    kept(tmp_path, work)


def test_frames_go_to_a_table_of_their_own_and_never_into_events(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await place.do("all", "connect")
        await place.do("mount", "unpark")
        await place.do("mount", "slew", ra="5h16m", dec="+34 21")
        answer = await place.ask(Command.BEGIN, kind="guiding", frames=120)
        ended = await place.until(Kind.ERRAND_ENDED, errand=answer.reason)
        assert ended.values["outcome"] == "done", ended.reason
        place.keeper._telling._samples.flush()
        told.append(answer.reason)
        events.extend(place.of(answer.reason))

    told: list[str] = []
    events: list[Event] = []
    dark = bench(tmp_path).at.isoformat()
    kept(tmp_path, work, rig=with_values(RIG, {("simulated", "starts_at"): dark}))
    rows = samples_of(tmp_path / "ledger.sqlite", told[0], GUIDE)
    beside_the_calibration = [e for e in events if "direction" not in e.values]
    assert len(rows) == 120 and len(beside_the_calibration) < 20, "nothing a frame"


def test_settings_changed_in_the_rig_take_effect_while_it_is_guided(tmp_path: Path) -> None:
    """And the star is chosen anew where the exposure changes."""
    rows: list[dict[str, Any]] = []

    async def use(place: Bench) -> list[Event]:
        def sampled(row: dict[str, Any]) -> None:
            rows.append(row)
            changes = {10: {("guider", "ra", "strength"): 0.0}, 20: {("guider", "exposure_s"): 4.0}}
            if len(rows) in changes:
                place.kit = replace(place.kit, rig=with_values(place.kit.rig, changes[len(rows)]))

        place.order = replace(place.order, sampled=sampled)
        await place.carry_out("guiding", {"frames": 30})
        return place.events

    events = on_the_bench(bench(tmp_path), use)
    said = [e.reason for e in events]
    assert "right ascension: strength 0.6 → 0.0" in said and "exposure 2 s → 4 s" in said
    assert said.index("exposure 2 s → 4 s") < next(
        k for k, s in enumerate(said) if s.endswith("chosen again")
    )
    assert any(row["pulse_ms"][0] for row in rows[:10]) and not any(row["pulse_ms"][0] for row in rows[10:])


def test_a_star_by_hand_is_the_same_again_where_it_stands_now(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """It has drifted by a dozen pixels when the exposure changes."""
    chosen: list[tuple[tuple[float, float] | None, tuple[float, float]]] = []
    choose = GuideFrames.choose

    async def noted(self: GuideFrames, near: Any = None, adapt: bool = True) -> Choice:
        choice = await choose(self, near, adapt)
        chosen.append((near, (choice.stars[0].x_px, choice.stars[0].y_px)))
        assert len(self.group.stars) == (1 if near else len(choice.stars))
        return choice

    monkeypatch.setattr(GuideFrames, "choose", noted)
    rows: list[dict[str, Any]] = []

    async def use(place: Bench) -> Event:
        def sampled(row: dict[str, Any]) -> None:
            rows.append(row)
            if len(rows) == 15:
                longer = with_values(place.kit.rig, {("guider", "exposure_s"): 4.0})
                place.kit = replace(place.kit, rig=longer)

        place.order = replace(place.order, sampled=sampled)
        return await place.carry_out("guiding", {"frames": 20, "corrects": False, "x": 300, "y": 200})

    scenario = Scenario(mount=MountEffects(drift_arcsec_min=90.0))
    ended = on_the_bench(bench(tmp_path, scenario), use)
    assert ended.values["outcome"] == "done", ended.reason
    assert chosen[0][0] == (300, 200) and chosen[1][0] == chosen[0][1]
    (_, stood), (near, _) = chosen[-2:]
    assert near is not None and len(chosen) == 3
    away_px = math.dist(near, stood)
    assert away_px > 8 and away_px == pytest.approx(
        math.hypot(*rows[14]["place"]) / RIG.guide_scale_arcsec_px, abs=1
    )


def test_a_dither_is_asked_of_the_guider_and_settles(tmp_path: Path) -> None:
    """In pixels of the main camera; where the star is afterwards is where it was asked to be."""
    told: list[str] = []

    async def work(place: Place) -> None:
        await place.do("all", "connect")
        await place.do("mount", "unpark")
        await place.do("mount", "slew", ra="5h16m", dec="+34 21")
        early = await place.ask(Command.TELL_ERRAND, errand="guiding", what="dither")
        assert not early.taken
        answer = await place.ask(Command.BEGIN, kind="guiding")
        detach = await place.keeper.attach(0, heard.append, {GUIDE})
        await asyncio.sleep(600)
        assert not (await place.ask(Command.TELL_ERRAND, errand="guiding", what="sing")).taken
        assert not (await place.ask(Command.TELL_ERRAND, errand="guiding", what="dither", px=5000)).taken
        tested = await place.ask(Command.TELL_ERRAND, errand="guiding", what="response", axis="dec")
        assert tested.taken and "declination: a move of" in tested.reason
        await asyncio.sleep(5)
        too_soon = await place.ask(Command.TELL_ERRAND, errand="guiding", what="dither")
        assert not too_soon.taken and "not settled yet" in too_soon.reason
        await asyncio.sleep(200)
        (response,) = [e.values["response"] for e in place.of(answer.reason) if "response" in e.values]
        assert response["axis"] == "dec" and 0 <= response["overshoot_share"] < 1 and response["took_s"] < 60
        for number in range(1, 4):
            dithered = await place.ask(Command.TELL_ERRAND, errand="guiding", what="dither", px=12)
            assert dithered.taken and dithered.reason.startswith(f"dither {number}: to ")
            told.append(dithered.reason)
            await asyncio.sleep(200)
            assert sum(bool(e.values.get("settled")) for e in place.of(answer.reason)) == number + 1
        milder = with_values(place.keeper._equipment.rig, {("guider", "dec", "strength"): 0.4})
        changed = await place.ask(Command.RIG, rig=milder.model_dump(mode="json"))
        assert changed.taken, changed.reason
        await asyncio.sleep(20)
        assert any(e.reason == "declination: strength 0.6 → 0.4" for e in place.of(answer.reason))
        asked.extend(e.values["dither"] for e in place.of(answer.reason) if "dither" in e.values)
        await place.ask(Command.STOP_ERRAND, errand=answer.reason)
        await place.until(Kind.ERRAND_ENDED, errand=answer.reason)
        detach()

    heard: list[Any] = []
    asked: list[dict[str, Any]] = []
    kept(tmp_path, work, rig=with_values(RIG, {("simulated", "starts_at"): bench(tmp_path).at.isoformat()}))
    rows = [row.values for news in heard if isinstance(news, Samples) for row in news.rows]
    scale = RIG.scale_arcsec_px()
    last = [row["place"] for row in rows if "place" in row and row.get("mark") != "settling"][-20:]
    reached = [sum(p[k] for p in last) / len(last) / scale for k in (0, 1)]
    # the telescope points north where the star stands south of its place
    assert len(asked) == 3 and reached == pytest.approx(
        [asked[-1]["east_px"], -asked[-1]["north_px"]], abs=0.5
    )


def test_with_pixels_it_calibrates_and_guides(tmp_path: Path) -> None:
    ended, rows, events = carried_out(bench(tmp_path, quick=False), "guiding", frames=25, exposure_s=1.0)
    assert ended.values["outcome"] == "done", ended.reason
    assert any("square, straight" in e.reason for e in events)
    assert total_arcsec(rows[5:]) < 3 and all(row["stars"] >= 1 for row in rows)
    pictures = [row["star"] for row in rows if "star" in row]
    assert len(pictures) == 5 and all(0 < p["peak_adu"] < 4096 for p in pictures)


def test_corrections_may_go_through_the_camera_s_port(tmp_path: Path) -> None:
    """The mount's own line is not asked to move anything then."""
    by_port = with_values(RIG, {("mount", "corrections"): "guide camera's port"})
    scenario = Scenario(mount=MountEffects(drift_arcsec_min=6.0))
    pulsed: list[str] = []

    async def use(place: Bench) -> Event:
        for name in ("mount", "guide camera"):
            device = place.kit.devices.named(name)
            do = device.do

            async def counted(what: str, *values: Any, of: str = name, do: Any = do, **more: Any) -> Any:
                pulsed.extend([of] if what.startswith("pulse") else [])
                return await do(what, *values, **more)

            device.do = counted
        return await place.carry_out("guiding", {"frames": 40})

    ended = on_the_bench(bench(tmp_path, scenario, rig=by_port), use)
    assert ended.values["outcome"] == "done" and ended.values["rms_arcsec"] < 3
    assert set(pulsed) == {"guide camera"}
