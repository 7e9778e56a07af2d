"""The polar bench's errands on the simulated sky: measured, turned, cut off, sent back; what goes wrong."""

import asyncio
import math
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from campaigns.demo import quick_rig
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.events import Event, Kind
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Fault, FaultKind, Scenario
from vigil.documents.scenario.air import AirEffects
from vigil.documents.scenario.mount import MountEffects
from vigil.engine.polar.shelf import kept_polar
from vigil.sky.horizontal import unobserve
from vigil.sky.instants import from_datetimes

RIG = quick_rig()
assert RIG.simulated is not None
AT = RIG.simulated.starts_at + timedelta(hours=5)
COS = math.cos(math.radians(RIG.site.latitude_deg))
MOUNT = MountEffects(
    polar_altitude_arcmin=12.0, polar_azimuth_arcmin=-30.0, adjuster_jumps=0.0, adjuster_sticks_arcmin=0.0,
    flexure_arcsec=6.0, guide_flexure_arcsec=2.0,
)  # fmt: skip
OFF = Scenario(mount=MOUNT)


def bench(use: Any, scenario: Scenario = OFF, quick: bool = True, rig: Any = RIG, **more: Any) -> Any:
    return on_the_bench(Alone(rig, scenario, 1, AT, quick=quick, **more), use)


async def measured(b: Bench, **values: Any) -> Event:
    return await b.carry_out("polar axis", {"goes": True, **values})


def near(record: dict[str, Any], altitude: float, azimuth: float, within: float = 0.3) -> bool:
    off = record["altitude_arcmin"] - altitude, record["azimuth_arcmin"] - azimuth
    return max(map(abs, off)) < within


def test_on_pixels_with_either_camera() -> None:
    async def use(b: Bench) -> list[Event]:
        return [await measured(b), await measured(b, camera="main", turn_deg=45.0, way="east", frames=2)]

    by_guide, by_main = bench(use, quick=False)
    for ended in (by_guide, by_main):
        assert near(ended.values["polar"], 12.0, -30 * COS), ended.reason
    assert by_guide.values["polar"]["frames"] == 3 and by_main.values["polar"]["turns_deg"][0] < -44
    assert any("third one would" in note for note in by_main.values["polar"]["notes"])


def test_in_the_south_east_stays_east() -> None:
    south = with_values(RIG, {("site", "latitude_deg"): -33.0})
    ended = bench(measured, rig=south)
    assert near(ended.values["polar"], 12.0, -30 * math.cos(math.radians(33.0))), ended.reason


def test_while_the_adjusters_are_turned_what_is_left_is_told_and_a_new_measurement_proves_it() -> None:
    rows: list[dict[str, Any]] = []

    async def use(b: Bench) -> tuple[list[Event], Event, Any]:
        await measured(b)

        def sampled(row: dict[str, Any]) -> None:
            rows.append(row)
            if len(rows) == 3:
                b.observatory.truth.mount.turn_adjusters(-15.0, 0.0)
            if len(rows) == 9:
                b.observatory.truth.mount.turn_adjusters(3.0, 30.0)

        b.order = replace(b.order, sampled=sampled)
        told = len(b.events)
        await b.carry_out("polar turning", {"frames": 14})
        turned = b.events[told:]
        return turned, await b.carry_out("polar axis", {}), kept_polar(RIG, b.folder)

    turned, again, kept = bench(use)
    assert [round(row["altitude_arcmin"]) for row in (rows[0], rows[6], rows[-1])] == [12, -3, 0]
    assert abs(rows[-1]["azimuth_arcmin"]) < 0.3 and rows[-1]["away_arcmin"] < 0.5
    assert rows[0]["away_arcmin"] > 10 and rows[6]["star"] != rows[0]["star"]
    said = [e.reason for e in turned if "turned" in e.values]
    assert (
        said[0].startswith("altitude: +11.8") and "overshot: the other way, about a fifth as much" in said[0]
    )
    assert again.values["polar"]["total_arcmin"] < 0.5
    assert len(kept.adjuster("altitude").turns) == 2 and kept.adjuster("azimuth").turns


def test_ended_by_mistake_nothing_is_lost_and_turning_goes_on_where_it_was() -> None:
    rows: list[dict[str, Any]] = []

    async def use(b: Bench) -> list[Event]:
        await measured(b)
        b.order = replace(b.order, sampled=rows.append)
        watching = asyncio.ensure_future(b.carry_out("polar turning", {}))
        await b.clock.sleep(10)
        watching.cancel()
        cut = await watching
        b.observatory.truth.mount.turn_adjusters(-7.0, 0.0)  # while nobody looked
        rows.clear()
        return [cut, await b.carry_out("polar turning", {"frames": 2})]

    cut, again = bench(use)
    assert cut.values["outcome"] == "stopped" and again.values["outcome"] == "done"
    assert rows[0]["altitude_arcmin"] == pytest.approx(5.0, abs=0.3)
    assert rows[0]["azimuth_arcmin"] == pytest.approx(-30 * COS, abs=0.3)


def test_cut_in_the_middle_of_a_turn_the_mount_stands_still_and_tracks() -> None:
    async def use(b: Bench) -> tuple[Event, Any, Any]:
        await measured(b)
        before = kept_polar(RIG, b.folder).last
        cutting = asyncio.ensure_future(b.carry_out("polar axis", {}))
        await b.clock.sleep(8)  # a frame of two seconds and its readout; then it turns
        assert b.observatory.truth.gear.state.hand_rates_deg_s[0] != 0
        cutting.cancel()
        state = b.observatory.truth.gear.state
        return await cutting, state, (before, kept_polar(RIG, b.folder).last)

    ended, state, (before, after) = bench(use)
    assert ended.values["outcome"] == "stopped" and before == after
    assert state.hand_rates_deg_s == (0.0, 0.0) and state.tracking and not state.parked


def test_the_way_back_parks_what_was_parked() -> None:
    async def use(b: Bench) -> tuple[str, bool, str, Event]:
        await b.kit.devices.named("mount").do("park", 200.0, lambda m: m.park())
        refused = await b.carry_out("polar axis", {})
        await measured(b)
        back = await b.carry_out("polar way back", {})
        nowhere = await b.carry_out("polar way back", {})
        return refused.reason, b.observatory.truth.gear.state.parked, back.reason, nowhere

    refused, parked, back, nowhere = bench(use)
    assert "the mount is parked: let it go near the pole first" in refused
    assert parked and back == "parked, as it was before"
    assert nowhere.values["outcome"] == "failed"


def test_tracking_off_is_switched_on_and_said() -> None:
    async def use(b: Bench) -> Event:
        await measured(b)
        await b.kit.devices.named("mount").do("stop tracking", 10.0, lambda m: m.track(False))
        return await b.carry_out("polar axis", {})

    ended = bench(use)
    assert "tracking was off: it is on now" in ended.values["polar"]["notes"]
    assert near(ended.values["polar"], 12.0, -30 * COS)


def test_a_narrow_filter_in_the_beam_is_said() -> None:
    assert RIG.wheel is not None
    narrow = next(f.name for f in RIG.wheel.filters if f.width_nm < 40)
    ended = bench(lambda b: measured(b, camera="main", filter=narrow))
    told = ended.values.get("polar", {}).get("notes") or [ended.reason]
    assert any("few stars will show" in note or "narrow filter?" in note for note in told)


def test_a_mount_that_didn_t_turn_is_noticed() -> None:
    lame = Scenario(mount=MOUNT.model_copy(update={"own_rates": [0.01]}))
    ended = bench(measured, lame)
    assert ended.values["outcome"] == "failed" and "did the mount turn?" in ended.reason


def test_under_a_cloud_a_frame_is_tried_longer_and_then_given_up_with_its_reason() -> None:
    ended_events: list[Event] = []
    cloudy = Scenario(mount=MOUNT, air=AirEffects(overcast_mag=9.0))
    ended = bench(measured, cloudy, listener=ended_events.append)
    again = [e.reason for e in ended_events if "again with" in e.reason]
    assert len(again) == 2 and ended.values["outcome"] == "failed"
    assert "frame 1 not solved" in ended.reason and "A cloud, a cover" in ended.reason


@pytest.mark.parametrize(
    ("focal_length_mm", "searches"),
    [(400.0, [(4.0, False), (12.0, False), (25.0, True)]), (3000.0, [(4.0, False), (12.0, True)])],
)
def test_a_small_field_is_searched_in_the_whole_sky_rather_than_all_round_the_pole(
    monkeypatch: pytest.MonkeyPatch, focal_length_mm: float, searches: list[tuple[float, bool]]
) -> None:
    asked: list[tuple[float, bool]] = []

    async def use(b: Bench) -> Event:
        solve = b.kit.measurer.solve

        async def heard(image: Any, hint: Any, blind: Any = None, mosaic: bool = False) -> Any:
            asked.append((hint.within_deg, blind is not None))
            return await solve(image, hint, blind, mosaic)

        monkeypatch.setattr(b.kit.measurer, "solve", heard)
        return await measured(b, camera="main")

    cloudy = Scenario(mount=MOUNT, air=AirEffects(overcast_mag=9.0))
    rig = with_values(RIG, {("telescope", "focal_length_mm"): focal_length_mm})
    ended = bench(use, cloudy, rig=rig)
    assert "frame 1 not solved" in ended.reason
    assert asked[: len(searches)] == searches and len(asked) == 3 * len(searches)


def test_a_cloud_while_turning_is_waited_for() -> None:
    rows: list[dict[str, Any]] = []

    async def use(b: Bench) -> Event:
        await measured(b)
        clear, cloudy = b.observatory.scenario, AirEffects(overcast_mag=9.0)

        def sampled(row: dict[str, Any]) -> None:
            rows.append(row)
            if len(rows) == 2:
                b.observatory.change_scenario(clear.model_copy(update={"air": cloudy}))
            if len(rows) == 7:
                b.observatory.change_scenario(clear)

        b.order = replace(b.order, sampled=sampled)
        return await b.carry_out("polar turning", {"frames": 10})

    ended = bench(use)
    assert [row["solved"] for row in rows] == [True] * 2 + [False] * 5 + [True] * 3
    assert "Nothing is lost" in rows[5]["reason"] and ended.values["outcome"] == "done"


def test_a_mount_sent_elsewhere_has_to_be_measured_again() -> None:
    async def use(b: Bench) -> list[Event]:
        never = await b.carry_out("polar turning", {"frames": 1})
        await measured(b)
        ra, dec = unobserve(-30.0, 40.0, from_datetimes(b.clock.utcnow()), RIG.site.place())
        await b.kit.devices.named("mount").do("slew", 200.0, lambda m: m.slew(float(ra) % 360, float(dec)))
        return [never, await b.carry_out("polar turning", {"frames": 1}), await b.carry_out("polar axis", {})]

    never, elsewhere, far = bench(use)
    assert "nothing is measured yet" in never.reason
    assert "measure again" in elsewhere.reason and "from the pole" in far.reason


def test_a_camera_that_fails_for_a_while_is_asked_again() -> None:
    fault = Fault(kind=FaultKind.TIMES_OUT, device="guide camera", at_min=300.1, minutes=0.2)
    ended = bench(measured, Scenario(mount=MOUNT, faults=[fault]))
    assert ended.values["outcome"] == "done" and near(ended.values["polar"], 12.0, -30 * COS)


def test_drift_tells_both_axes_and_what_a_turn_has_done() -> None:
    async def use(b: Bench) -> tuple[list[Event], Any]:
        wishes = [{"axis": name, "goes": True} for name in ("azimuth", "altitude")]
        axes = [await b.carry_out("polar drift", wish) for wish in wishes]
        b.observatory.truth.mount.turn_adjusters(-18.0, 0.0)
        again = await b.carry_out("polar drift", {"axis": "altitude", "turned": 1.5})
        return [*axes, again], (kept_polar(RIG, b.folder), b.events)

    (azimuth, altitude, again), (kept, events) = bench(use)
    assert azimuth.values["polar"]["azimuth_arcmin"] == pytest.approx(-30 * COS, abs=0.6)
    assert altitude.values["polar"]["altitude_arcmin"] == pytest.approx(12.0, abs=0.6)
    assert again.values["polar"]["altitude_arcmin"] == pytest.approx(-6.0, abs=0.6)
    turned = next(e for e in events if e.kind is Kind.ERRAND_STEP and "turned" in e.values)
    assert "overshot: the other way, about a third as much" in turned.reason
    gain = kept.adjuster("altitude").gain
    assert gain is not None and gain.arcmin_per_turn == pytest.approx(-12.0, abs=0.8)


def test_a_drift_that_is_cut_off_leaves_the_last_one(tmp_path: Path) -> None:
    async def use(b: Bench) -> tuple[Event, Any]:
        first = asyncio.ensure_future(b.carry_out("polar drift", {"goes": True}))
        await b.clock.sleep(120)
        first.cancel()
        return await first, b.observatory.truth.gear.state

    ended, state = bench(use, folder=tmp_path)
    assert ended.values["outcome"] == "stopped" and state.tracking
    assert kept_polar(RIG, tmp_path).drifts == {} and kept_polar(RIG, tmp_path).began is not None


def test_a_record_that_can_t_be_read_stays_aside(tmp_path: Path) -> None:
    path = tmp_path / f"polar_{RIG.id}.json"
    path.write_text("{broken")
    assert kept_polar(RIG, tmp_path).last is None
    assert path.with_suffix(".unreadable").read_text() == "{broken"
