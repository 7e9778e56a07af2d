"""Flats, dark flats, darks and bias frames: taken with pixels by a keeper and alone, cut off, resumed."""

import asyncio
import json
import re
from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import Any
from unittest.mock import patch

import pytest

from campaigns import flatsends
from campaigns.kept import RIG, Place, kept
from tests.files.test_masterfiles import frame
from vigil.cli import NOT_ALL, OK, main
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.devices.errors import DeviceFault
from vigil.devices.protocols import Devices
from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.rig.mount import RotatorPart
from vigil.documents.scenario import Scenario
from vigil.documents.store import save
from vigil.engine.activities.moves import filter_to
from vigil.engine.errand import ErrandRefused
from vigil.engine.errands.flats import Flats
from vigil.files.fits import read_header
from vigil.files.madeframes import made_frames
from vigil.levels.matching import Cover, Made, Wanted, cover
from vigil.runtime.folders import calibration_folder

SMALL = with_values(RIG, {("camera", "columns"): 240, ("camera", "rows"): 160})


@pytest.fixture(autouse=True)
def _own_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "home"))


def alone(folder: Path, kind: str, **values: Any) -> tuple[Event, list[Event], int]:
    """Its last event, all of them, and the panel's level afterwards."""
    assert SMALL.simulated is not None
    at = SMALL.simulated.starts_at + timedelta(hours=5)

    async def use(bench: Bench) -> tuple[Event, list[Event], int]:
        ended = await bench.carry_out(kind, values)
        return ended, bench.events, bench.observatory.truth.gear.state.panel_level

    return on_the_bench(Alone(SMALL, Scenario(), 3, at, calibration=folder), use)


def steps(events: list[Event], what: str) -> list[Any]:
    return [e.values[what] for e in events if e.kind is Kind.ERRAND_STEP and what in e.values]


def test_flats_are_inside_their_window_with_dark_flats_and_cover_the_lights(tmp_path: Path) -> None:
    ended, events, level = alone(
        tmp_path, "flats", filters=["L", "B"], count=3, ready=True, most_exposure_s=60
    )
    assert ended.values["outcome"] == Outcome.DONE.value, ended.reason
    assert level == 0, "the panel is off"
    frames = steps(events, "frame")
    flats = [f for f in frames if f["kind"] == "flat"]
    assert len(flats) == 6 and all(0.30 * 65535 <= f["mean_adu"] <= 0.40 * 65535 for f in flats)
    assert len(steps(events, "trial")) <= 6
    headers = [read_header(Path(f["path"])) for f in frames]
    assert [h["IMAGETYP"] for h in headers] == ["FLAT"] * 6 + ["DARK FLAT"] * 6
    for name in ("L", "B"):
        own = [h for h in headers if h["FILTER"] == name]
        assert len({(h["IMAGETYP"], h["EXPTIME"]) for h in own}) == 2, "one exposure, for both kinds"
    made = list(made_frames([tmp_path]))
    light = next(m for m in made if m.kind == "flat" and m.filter == "B")
    (found,) = cover([*made, replace(light, kind="light")], Wanted(flats=3, dark_flats=3))
    assert found.flat.state is Cover.OK and found.dark_flat.state is Cover.OK
    assert found.dark.state is Cover.MISSING


def test_what_can_t_be_done_is_named_before_the_first_frame_and_stops_no_other(tmp_path: Path) -> None:
    ended, events, _ = alone(tmp_path, "flats", filters=["L", "Ha"], count=1, ready=True, most_exposure_s=2.0)
    kinds = [next(iter(e.values)) for e in events if e.kind is Kind.ERRAND_STEP]
    assert kinds.index("advice") < kinds.index("frame")
    (advice,) = steps(events, "advice")
    light, narrow = advice
    assert light["feasible"] and not narrow["feasible"]
    assert narrow["reason"].startswith("too dark") and "exposures up to" in narrow["change"]
    assert ended.values["flats"] == {"L": 1} and ended.values["impossible"] == ["Ha"]
    longer = float(narrow["change"].split("up to ")[1].split(" s")[0])
    ended, _, _ = alone(tmp_path, "flats", filters=["Ha"], count=1, ready=True, most_exposure_s=longer)
    assert ended.values["flats"] == {"Ha": 1}, "the change that was named does it"


def test_a_rig_that_can_t_is_told_why(tmp_path: Path) -> None:
    with pytest.raises(ErrandRefused, match="in no slot; it has L, R"):
        alone(tmp_path, "flats", filters=["X"])
    with pytest.raises(ErrandRefused, match="must lie in its window"):
        alone(tmp_path, "flats", aim_percent=50)
    with pytest.raises(ErrandRefused, match="sets: needs at least 1"):
        alone(tmp_path, "darks", sets=[])


def test_several_binnings_one_after_another_also_after_a_kill(tmp_path: Path) -> None:
    wish = {"filters": ["L", "R"], "count": 2, "dark_flats": 1, "binnings": [1, 2]}

    async def work(place: Place) -> None:
        await begin(place, **wish)
        await so_many_flats(place, 5)

    async def again(place: Place) -> None:
        done = await place.until(Kind.ERRAND_ENDED, outcome="done")
        assert done.values["flats"] == {"L@1": 2, "R@1": 2, "L@2": 2, "R@2": 2}, done.reason
        assert set(done.values["dark_flats"]) == {"L@1", "R@1", "L@2", "R@2"} and not done.values["leaks"]
        own = [f for f in steps(place.of(done.errand), "frame") if f["kind"] == "flat"]
        assert [f["filter"] for f in own if f["kept"]] == ["L@2", "L@2", "R@2", "R@2"], "and no others again"
        made = [m for m in made_frames([calibration_folder(SMALL.id)]) if m.kind == "flat"]
        assert {m.binning for m in made} == {1, 2}

    kept(tmp_path, work, killed=True, rig=SMALL, pixels=True)
    kept(tmp_path, again, rig=SMALL, pixels=True)


def test_a_person_at_the_knob_is_told_which_way_and_by_what_factor(tmp_path: Path) -> None:
    assert SMALL.panel is not None
    rig = SMALL.model_copy(update={"panel": SMALL.panel.model_copy(update={"dimmed_by": "person"})})
    said: list[str] = []

    async def work(place: Place) -> None:
        wish = {"filters": ["L", "Ha"], "count": 1, "dark_flats": 1, "most_exposure_s": 20}
        answer = await place.ask(Command.BEGIN, kind="flats", **wish)
        assert answer.taken, answer.reason
        while not any(e.kind is Kind.ERRAND_ENDED for e in place.told):
            for errand in await place.under_way():
                for question in errand.questions:
                    said.append(question.words)
                    if level := re.search(r"level (\d+)", question.words):
                        place.observatory.truth.gear.state.panel_level = int(level[1])
                    if "switch the panel off" in question.words:
                        place.observatory.truth.gear.state.panel_level = 0
                    values = {"errand": errand.id, "question": question.number, "answer": "it is"}
                    await place.ask(Command.ANSWER, **values)
            await asyncio.sleep(2)
        ended = await place.until(Kind.ERRAND_ENDED)
        assert ended.values["flats"]["L"] == 1 and ended.values["leaks"] == [], ended.reason

    kept(tmp_path, work, rig=rig, pixels=True)
    ways = [words for words in said if "times as bright" in words or "dimmed to 1/" in words]
    assert ways and said[0].startswith("Lay Lark flat panel on"), said
    assert "switch the panel off: is it set?" in said, "before the dark flats"


def test_nobody_lays_the_panel_on_and_nothing_is_taken(tmp_path: Path) -> None:
    ended, events, level = alone(tmp_path, "flats", count=1)
    assert ended.values["outcome"] == Outcome.FAILED.value and level == 0
    assert ended.reason.startswith("no flats are taken: nobody has said yes to “Lay Lark flat panel on")
    assert not steps(events, "trial") and not list(tmp_path.rglob("*.fits"))


def test_darks_and_bias_by_sets(tmp_path: Path) -> None:
    ended, _, _ = alone(
        tmp_path, "darks", sets=[{"exposure_s": 30, "count": 2}, {"exposure_s": 0, "count": 3}], dark=True
    )
    assert ended.values["have"] == {"0": 2, "1": 3} and not ended.values["leaks"]
    made = list(made_frames([tmp_path]))
    assert sorted(m.kind for m in made) == ["bias"] * 3 + ["dark"] * 2
    dark = next(m for m in made if m.kind == "dark")
    assert dark.exposure_s == 30 and dark.temperature_c == RIG.camera.cooler.set_point_c  # type: ignore[union-attr]
    light = Made("light", "M 1", "L", 30.0, dark.gain, dark.offset, 1, dark.temperature_c, camera=dark.camera)
    (found,) = cover([*made, light], Wanted(darks=2, biases=3))
    assert found.dark.state is Cover.OK and found.bias.state is Cover.OK


async def begin(place: Place, **values: Any) -> str:
    answer = await place.ask(Command.BEGIN, kind="flats", ready=True, **values)
    assert answer.taken, answer.reason
    return answer.reason


async def so_many_flats(place: Place, count: int) -> None:
    while True:
        if sum(1 for f in steps(place.told, "frame") if f["kept"]) >= count:
            return
        await asyncio.sleep(1)


def panel_level(place: Place) -> int:
    return place.observatory.truth.gear.state.panel_level


def test_stopped_in_the_middle_the_panel_is_off(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await begin(place, filters=["L"], count=20)
        await so_many_flats(place, 2)
        assert panel_level(place) > 0
        assert (await place.ask(Command.STOP_ERRAND)).taken
        ended = await place.until(Kind.ERRAND_ENDED)
        assert ended.values["outcome"] == "stopped" and panel_level(place) == 0

    kept(tmp_path, work, rig=SMALL, pixels=True)


def test_killed_it_goes_on_with_the_frames_that_are_missing(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await begin(place, filters=["L", "R"], count=4, dark_flats=1)
        await so_many_flats(place, 2)
        assert panel_level(place) > 0

    async def again(place: Place) -> None:
        done = await place.until(Kind.ERRAND_ENDED, outcome="done")
        cut = next(e for e in place.told if e.kind is Kind.ERRAND_ENDED)
        assert cut.values["outcome"] == "cut off" and done.errand != cut.errand
        assert done.values["flats"] == {"L": 4, "R": 4} and done.values["dark_flats"] == {"L": 1, "R": 1}
        assert panel_level(place) == 0
        frames = [m for m in made_frames([calibration_folder(SMALL.id)]) if m.kind == "flat"]
        assert [f.filter for f in frames].count("L") >= 4, "one may be there that nobody counted"

    kept(tmp_path, work, killed=True, rig=SMALL, pixels=True)
    kept(tmp_path, again, rig=SMALL, pixels=True)


def test_darks_that_are_killed_go_on_with_those_that_are_missing(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        sets = [{"exposure_s": 10, "count": 4}, {"exposure_s": 0, "count": 2}]
        answer = await place.ask(Command.BEGIN, kind="darks", sets=sets, dark=True)
        assert answer.taken, answer.reason
        while True:
            if len(steps(place.told, "frame")) >= 2:
                return
            await asyncio.sleep(1)

    async def again(place: Place) -> None:
        done = await place.until(Kind.ERRAND_ENDED, outcome="done")
        assert done.values["have"] == {"0": 4, "1": 2}
        own = steps(place.of(done.errand), "frame")
        assert 3 <= len(own) <= 4, "those that were there are not taken again"

    kept(tmp_path, work, killed=True, rig=SMALL, pixels=True)
    kept(tmp_path, again, rig=SMALL, pixels=True)


class _Weak:
    """A flat panel that fails for a while, at whatever it is asked."""

    def __init__(self, panel: Any, bad: list[int]) -> None:
        self._panel, self._bad, self._asked = panel, bad, 0

    def __getattr__(self, name: str) -> Any:
        return getattr(self._panel, name)

    async def set_level(self, level: int) -> None:
        self._asked += 1
        if self._asked in self._bad:
            raise DeviceFault("flat panel: no answer")
        await self._panel.set_level(level)


@pytest.mark.parametrize("bad", [[3, 4, 5, 6], [5, 6, 7, 8], list(range(6, 13))])
def test_a_panel_that_fails_is_off_at_the_end(tmp_path: Path, bad: list[int]) -> None:
    def alter(devices: Devices) -> Devices:
        return replace(devices, panel=_Weak(devices.panel, bad))

    async def work(place: Place) -> None:
        await begin(place, filters=["L"], count=2)
        await place.until(Kind.ERRAND_ENDED)
        assert panel_level(place) == 0

    kept(tmp_path, work, rig=SMALL, pixels=True, alter=alter)


def test_a_filter_that_jams_stops_no_other(tmp_path: Path) -> None:
    assert SMALL.wheel is not None
    slot = SMALL.wheel.filter("R").slot

    class Jammed(_Weak):
        async def move_to(self, wanted: int) -> None:
            if wanted == slot:
                raise DeviceFault("filter wheel: it is stuck")
            await self._panel.move_to(wanted)

    def alter(devices: Devices) -> Devices:
        return replace(devices, wheel=Jammed(devices.wheel, []))

    async def work(place: Place) -> None:
        await begin(place, filters=["L", "R", "G"], count=1, dark_flats=1)
        ended = await place.until(Kind.ERRAND_ENDED)
        assert ended.values["flats"] == {"L": 1, "G": 1} and ended.values["impossible"] == ["R"]
        assert "it is stuck" in ended.reason and panel_level(place) == 0

    kept(tmp_path, work, rig=SMALL, pixels=True, alter=alter)


def test_limits_changed_while_it_runs_let_another_filter_be_done(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        errand = await begin(place, filters=["L", "Ha"], count=3, dark_flats=1, most_exposure_s=2.0)
        await so_many_flats(place, 1)
        (advice,) = steps(place.told, "advice")
        assert [one["feasible"] for one in advice] == [True, False]
        wrong = await place.ask(Command.TELL_ERRAND, errand=errand, low_percent=90)
        assert not wrong.taken and "must lie in its window" in wrong.reason
        other = await place.ask(Command.TELL_ERRAND, errand=errand, source="cloth")
        assert not other.taken and "can be changed" in other.reason
        assert (await place.ask(Command.TELL_ERRAND, errand=errand, most_exposure_s=60)).taken
        await asyncio.sleep(1)
        again = Flats.goes_on({"count": 3, "most_exposure_s": 2.0}, place.of(errand))
        assert again["most_exposure_s"] == 60 and again["have"]["L"] >= 1, "also after a crash"
        ended = await place.until(Kind.ERRAND_ENDED)
        assert ended.values["flats"] == {"L": 3, "Ha": 3}, ended.reason
        assert ended.values["impossible"] == [] and panel_level(place) == 0

    kept(tmp_path, work, rig=SMALL, pixels=True)


def test_a_filter_may_have_a_window_of_its_own_and_the_aim_need_not_be_its_middle(tmp_path: Path) -> None:
    own = {"R": {"low_percent": 50, "aim_percent": 55, "high_percent": 60}}
    ended, events, _ = alone(
        tmp_path, "flats", filters=["L", "R"], count=2, dark_flats=0, ready=True, windows=own,
        aim_percent=31.5, most_exposure_s=60,
    )  # fmt: skip
    assert ended.values["outcome"] == Outcome.DONE.value, ended.reason
    shares = {f["filter"]: f["mean_adu"] / 65535 for f in steps(events, "frame")}
    assert 0.3 <= shares["L"] <= 0.335 and 0.5 <= shares["R"] <= 0.6, shares


def test_flats_are_judged_once_they_are_there(tmp_path: Path) -> None:
    _, events, _ = alone(tmp_path, "flats", filters=["L"], count=2, dark_flats=0, ready=True)
    (judged,) = steps(events, "judged")
    assert judged["filter"] == "L" and judged["levels_adu"][""] > 18_000
    assert 10 < judged["vignetting_percent"] < 25, "18 % are the scenario's"


def test_the_second_time_one_trial_is_enough_also_with_another_gain(tmp_path: Path) -> None:
    def trials(**more: Any) -> tuple[int, Event]:
        ended, events, _ = alone(
            tmp_path,
            "flats",
            filters=["L", "B"],
            count=1,
            dark_flats=0,
            ready=True,
            most_exposure_s=60,
            **more,
        )
        return len(steps(events, "trial")), ended

    first, _ = trials()
    assert first >= 3
    again, ended = trials()
    assert again == 2 and ended.values["flats"] == {"L": 1, "B": 1}
    scaled, ended = trials(gain=0)
    assert scaled <= 3 and ended.values["flats"] == {"L": 1, "B": 1}


def test_camera_and_focus_stand_where_the_lights_had_them(tmp_path: Path) -> None:
    """By the newest light of each filter; half a turn is the same."""
    turned = SMALL.model_copy(update={"rotator": RotatorPart(name="Turner")})
    assert turned.focuser is not None and turned.simulated is not None and turned.camera is not None
    for name, position, angle, hour in (("L", 6100, 12.0, 1), ("L", 6130, 200.0, 3), ("B", 5990, 20.0, 3)):
        frame(
            tmp_path / "lights" / f"{name}{hour}.fits", "LIGHT", 900, 60 * hour, filter=name,
            INSTRUME=turned.camera.name, FOCUSPOS=position, ROTATANG=angle, FOCTEMP=-20.0,
        )  # fmt: skip
    at = turned.simulated.starts_at + timedelta(hours=5)

    async def use(bench: Bench) -> list[Event]:
        place = replace(bench.place(), looked_in=(tmp_path / "lights",))
        with patch.object(bench, "place", lambda: place):
            await bench.carry_out(
                "flats", {"filters": ["L", "B"], "count": 1, "dark_flats": 0, "ready": True}
            )
        return bench.events

    events = on_the_bench(Alone(turned, Scenario(), 3, at, calibration=tmp_path / "out"), use)
    headers = {f["filter"]: read_header(Path(f["path"])) for f in steps(events, "frame")}
    assert [headers[name]["FOCUSPOS"] for name in ("L", "B")] == [6130, 5990]
    assert [headers[name]["ROTATANG"] % 180 for name in ("L", "B")] == [20.0, 20.0]
    assert headers["L"]["FLATLEV"] >= 1
    assert any("warmer than with the lights" in e.reason for e in events)


@pytest.mark.parametrize("one_way", [False, True])
def test_the_wheel_arrives_at_every_slot_from_the_one_below(one_way: bool) -> None:
    """It rests on the same edge for flats as for lights, whatever filter was in before."""
    rig = with_values(SMALL, {("wheel", "one_way"): one_way})
    assert rig.wheel is not None and rig.simulated is not None
    wheel = rig.wheel

    async def use(bench: Bench) -> None:
        state = bench.observatory.truth.gear.state
        for name in ("S2", "L", "B", "R", "Ha", "L", "G", "S2"):
            await filter_to(bench.kit, name)
            slot = wheel.filter(name).slot
            assert state.slot == slot and state.wheel_from == slot - 1, name

    on_the_bench(Alone(rig, Scenario(), 3, rig.simulated.starts_at), use)


def test_a_sample_of_jobs_that_are_cut_off() -> None:
    """At no end is the panel on, though it was meanwhile; and no way leads past the sun."""
    told = flatsends.summarise([flatsends.one_run(n) for n in (2, 12, 13, 22)])
    assert told["wrong"] == [] and told["lit_meanwhile"] >= 3, told


def test_from_the_command_line(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    rig = tmp_path / "rig.json"
    save(SMALL, rig)
    assert main(["flats", "plan", "--rig", str(rig), "--filters", "L,R", "--count", "5", "--json"]) == OK
    planned = json.loads(capsys.readouterr().out)
    assert planned["filters"] == ["L", "R"] and planned["window_adu"] == [19660, 26214]
    out = tmp_path / "out"
    run = ["flats", "run", "--rig", str(rig), "--filters", "L", "--count", "1", "--seed", "2", "--json"]
    assert main([*run, "--out", str(out)]) == OK
    last = json.loads(capsys.readouterr().out.splitlines()[-1])
    assert last["outcome"] == "done" and last["flats"] == {"L": 1} and len(list(out.rglob("*.fits"))) == 2
    assert main([*run, "--window", "0.5..0.6"]) == NOT_ALL
    assert "too bright" in json.loads(capsys.readouterr().out.splitlines()[-1])["reason"]
    darks = ["darks", "run", "--rig", str(rig), "--sets", "2 s x 2; bias x 1", "--seed", "2", "--json"]
    assert main([*darks, "--out", str(out)]) == OK
    assert json.loads(capsys.readouterr().out.splitlines()[-1])["have"] == {"0": 2, "1": 1}


def test_killed_while_the_rig_changes_the_panel_is_off_though_it_can_t_go_on(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        await begin(place, filters=["R"], count=4)
        await so_many_flats(place, 1)
        assert panel_level(place) > 0

    async def again(place: Place) -> None:
        await place.until(Kind.ERRAND_ENDED, outcome="cut off")
        await asyncio.sleep(30)
        assert panel_level(place) == 0 and await place.under_way() == []

    told = SMALL.model_dump(mode="json")
    (red,) = (f for f in told["wheel"]["sets"][0]["filters"] if f["name"] == "R")
    red["name"] = "Red 2"
    kept(tmp_path, work, killed=True, rig=SMALL, pixels=True)
    kept(tmp_path, again, rig=Rig.model_validate(told), pixels=True)
