"""The focus bench's errands, in a keeper and alone, under the quick sky."""

import asyncio
from datetime import timedelta
from pathlib import Path
from typing import Any

import pytest

from campaigns.kept import RIG, Place, kept
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.focusruns import NEAR, FocusRun, runs_of
from vigil.documents.messages import Command, Samples
from vigil.documents.rig.focusvalues import with_backlash, with_offsets, with_slope
from vigil.documents.scenario import Scenario
from vigil.engine.errand import ErrandRefused
from vigil.ledger.store import LedgerStore


def bench(folder: Path | None = None, scenario: Scenario | None = None, **kept_so: Any) -> Alone:
    assert RIG.simulated is not None
    at = RIG.simulated.starts_at + timedelta(hours=5)
    ledger = folder / "ledger.sqlite" if folder else None
    return Alone(RIG, scenario or Scenario(), 3, at, quick=True, ledger=ledger, **kept_so)


def carried_out(order: Alone, kind: str, **values: Any) -> tuple[Event, FocusRun, float]:
    """The errand's end, its last run, and how far from the true focus it left the drawtube."""

    async def use(place: Bench) -> tuple[Event, FocusRun, float]:
        ended = await place.carry_out(kind, values)
        truth = place.observatory.truth
        best, stands = truth.focus(truth.gear.state.slot, place.clock.utcnow())
        return ended, runs_of(place.events)[-1], stands - best

    return on_the_bench(order, use)


def test_a_run_ends_in_focus_and_is_in_the_log_with_its_frames(tmp_path: Path) -> None:
    ended, run, off = carried_out(bench(tmp_path), "focus", filter="L")
    assert ended.values["outcome"] == Outcome.DONE.value and abs(off) < ended.values["run"]["zone_steps"] / 6
    assert run.best == ended.values["run"]["position"] and run.filter == "L" and len(run.points()) >= 5
    store = LedgerStore(tmp_path / "ledger.sqlite")
    (row,) = store.focus_runs(RIG.id)
    again = store.focus_run(row.ended)
    assert row.accepted and row.filter == "L" and row.figures["reason"] == ended.values["run"]["reason"]
    assert again is not None and again.samples == run.samples and again.curve() == run.curve()
    assert store.focus_run(row.ended + 1) is None
    store.close()


@pytest.mark.parametrize("where", [0, 2500, 9500, 12_000])
def test_focus_is_found_from_anywhere(where: int) -> None:
    ended, run, off = carried_out(bench(focuser_at=where), "find focus")
    assert ended.values["run"]["accepted"] and abs(off) < ended.values["run"]["zone_steps"] / 6
    assert run.samples[0].position == where


def test_backlash_and_offsets_come_with_intervals_and_go_into_the_rig() -> None:
    ended, _, _ = carried_out(bench(), "backlash")
    found = ended.values["backlash"]
    low, high = found["interval_95"]
    assert low <= 60 <= high and not found["none_shows"]
    changed = with_backlash(RIG, found["steps"])
    assert changed.focuser is not None and changed.focuser.overshoot_steps >= 75
    none = with_backlash(RIG, 0)
    assert none.focuser is not None and none.focuser.backlash_by == "controller"

    ended, run, _ = carried_out(bench(), "filter offsets", filters=["Ha", "R"], rounds=2)
    offsets = ended.values["offsets"]
    assert set(offsets) == {"L", "Ha", "R"} and run.kind == "filter offsets"
    assert all(abs(o["steps"] - o["before"]) <= 5 for o in offsets.values())
    changed = with_offsets(RIG, {"Ha": 40})
    assert changed.wheel is not None and changed.wheel.filter("Ha").focus_offset_steps == 40
    assert with_slope(RIG, -6.543, 0.5, 0.8).focuser.steps_per_c == -6.54  # type: ignore[union-attr]


def test_what_cannot_be_measured_is_refused_before_it_begins() -> None:
    for kind, values, words in (
        ("focus", {"filter": "X"}, "no filter is called 'X'"),
        ("focus", {"frames": 0}, "frames"),
        ("focus", {"way": 3}, "way"),
        ("filter offsets", {"filters": ["L"]}, "nothing to measure against it"),
        ("filter offsets", {"filters": ["Q"]}, "in no slot"),
        ("backlash", {"most": 0}, "most"),
    ):
        with pytest.raises(ErrandRefused, match=words):
            carried_out(bench(), kind, **values)


def test_under_a_cloud_a_run_is_refused_and_the_focuser_is_back(tmp_path: Path) -> None:
    clouded = Scenario.model_validate({"name": "clouded", "air": {"overcast_mag": 12.0}})
    ended, run, _ = carried_out(bench(tmp_path, clouded), "focus")
    assert ended.values["outcome"] == Outcome.FAILED.value and "nothing to see" in ended.reason
    assert ended.reason.endswith(f"back at {run.samples[0].position}")
    store = LedgerStore(tmp_path / "ledger.sqlite")
    assert [row.accepted for row in store.focus_runs(RIG.id)] == [False] and run.outcome == "failed"
    store.close()


def test_a_parked_mount_is_told_and_one_that_stands_is_set_tracking(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await place.do("all", "connect")
        answer = await place.ask(Command.BEGIN, kind="focus")
        ended = await place.until(Kind.ERRAND_ENDED, errand=answer.reason)
        assert ended.values["outcome"] == "failed" and "the mount is parked" in ended.reason

    kept(tmp_path, work)


@pytest.mark.parametrize("kind", ["focus", "find focus", "filter offsets", "backlash"])
def test_stopped_in_the_middle_it_stands_still_and_says_so(tmp_path: Path, kind: str) -> None:
    async def work(place: Place) -> None:
        await place.do("all", "connect")
        await place.do("mount", "unpark")
        answer = await place.ask(Command.BEGIN, kind=kind)
        assert answer.taken, answer.reason
        await place.until(Kind.ERRAND_STEP, errand=answer.reason)
        busy = await place.ask(Command.DEVICE, device="focuser", action="by", steps=10)
        assert not busy.taken and "busy with" in busy.reason
        await place.ask(Command.STOP_ERRAND, errand=answer.reason)
        ended = await place.until(Kind.ERRAND_ENDED, errand=answer.reason)
        assert ended.values["outcome"] == "stopped"
        await asyncio.sleep(30)
        devices = place.keeper._equipment.devices
        assert devices.focuser is not None and devices.camera is not None
        await devices.focuser.refresh()
        await devices.camera.refresh()
        assert devices.focuser.state is not None and devices.camera.state is not None
        assert not devices.focuser.state.moving and devices.camera.state.activity == "idle"

    kept(tmp_path, work)
    (run,) = runs_of(
        LedgerStore(tmp_path / "ledger.sqlite").events(f"2027-01-12-heron-480-{kind.replace(' ', '-')}-1")
    )
    assert run.outcome == "stopped" and run.samples and run.samples[0].kept == {}


def test_sharpness_of_any_subject_focuses_without_the_mount(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await place.do("all", "connect")  # the mount stays parked
        answer = await place.ask(Command.BEGIN, kind="focus", by="sharpness", step=15)
        ended = await place.until(Kind.ERRAND_ENDED, errand=answer.reason)
        assert ended.values["outcome"] == "done" and ended.reason.startswith("blur "), ended.reason

    kept(tmp_path, work)


@pytest.mark.parametrize(
    "values", [{"binning": 2}, {"window": 128, "x": 300.0, "y": 320.0}, {"guides": True}]
)
def test_getting_near_streams_a_star_until_it_is_stopped(tmp_path: Path, values: dict[str, Any]) -> None:
    heard: list[Any] = []

    async def work(place: Place) -> None:
        await place.do("all", "connect")
        await place.do("mount", "unpark")
        detach = await place.keeper.attach(0, heard.append, {NEAR})
        answer = await place.ask(Command.BEGIN, kind="getting near", **values)
        assert answer.taken, answer.reason
        await asyncio.sleep(6)
        await place.ask(Command.DEVICE, device="focuser", action="by", steps=50)
        await asyncio.sleep(20)
        before = len([e for e in place.told if e.errand == answer.reason])
        await place.ask(Command.STOP_ERRAND, errand=answer.reason)
        await place.until(Kind.ERRAND_ENDED, errand=answer.reason)
        assert before == 1, "no frame is an event"
        detach()

    kept(tmp_path, work)
    rows = [row.values for news in heard if isinstance(news, Samples) for row in news.rows]
    assert len(rows) >= 4 and {row["position"] for row in rows} >= {rows[0]["position"] + 50}
    assert all("size_px" in row or "blur" in row for row in rows)
    sizes = [row["size_px"] for row in rows if "size_px" in row]
    assert all(size > 0 for size in sizes) and [row["number"] for row in rows] == list(
        range(1, len(rows) + 1)
    )
