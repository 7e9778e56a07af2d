"""Flats of the twilight sky and of a cloth by day: taken with pixels, cut off in the middle, shut again."""

import asyncio
from dataclasses import replace
from datetime import timedelta
from itertools import pairwise
from pathlib import Path
from typing import Any

import pytest

from campaigns import twilightflats
from campaigns.demo import quick_rig
from campaigns.kept import Place, kept
from vigil.cli.benchalone import Alone, Bench, on_the_bench
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.rig import Rig
from vigil.documents.rig.beside import CoverPart, RoofPart, SafetyPart
from vigil.documents.rig.change import with_values
from vigil.documents.rig.mount import StoredPosition
from vigil.documents.scenario import Scenario
from vigil.engine.errand import ErrandRefused
from vigil.files.fits import read_header
from vigil.files.madeframes import made_frames
from vigil.levels.matching import Cover, Made, Wanted, cover
from vigil.planning.skyflats import next_window
from vigil.sky.angles import separation_deg

SMALL = with_values(quick_rig(), {("camera", "columns"): 120, ("camera", "rows"): 80}).model_copy(
    update={"cover": CoverPart(name="Flap"), "roof": RoofPart(name="Slide")}
)
assert SMALL.simulated is not None
DUSK = next_window(SMALL, SMALL.simulated.starts_at, "dusk")
assert DUSK is not None
EVENING = DUSK.begins - timedelta(minutes=10)


@pytest.fixture(autouse=True)
def _own_home(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path / "home"))


def alone(
    folder: Path, scenario: dict[str, Any] | None = None, hours: float = 0.0, rig: Rig = SMALL, **values: Any
) -> Any:
    """Its last event, all of them, and the gear as it was left; begun so long after the evening's start."""

    async def use(bench: Bench) -> tuple[Event, list[Event], Any]:
        ended = await bench.carry_out("flats", {"ready": True, **values})
        return ended, bench.events, bench.observatory.truth.gear.state

    told = Scenario.model_validate({"name": "a sky", **(scenario or {})})
    return on_the_bench(Alone(rig, told, 3, EVENING + timedelta(hours=hours), calibration=folder), use)


def frames_of(events: list[Event], kind: str = "flat") -> list[dict[str, Any]]:
    return [f for f in (e.values.get("frame") for e in events) if f and f["kind"] == kind]


def test_flats_of_the_dusk_follow_the_light_with_dark_flats_that_serve_them(tmp_path: Path) -> None:
    sky = {"sky": {"twilight_fainter_mag": 0.5, "twilight_fainter_mag_deg": 0.05}}
    ended, events, state = alone(
        tmp_path, sky, source="twilight", when="dusk", filters=["L", "Ha"], count=4, dark_flats=2
    )
    assert ended.values["flats"] == {"L": 4, "Ha": 4} and not ended.values["failed"], ended.reason
    flats = frames_of(events)
    assert [f["filter"] for f in flats if f["kept"]] == ["Ha"] * 4 + ["L"] * 4, "the darkest first"
    assert all(0.30 <= f["mean_adu"] / 65535 <= 0.40 for f in flats if f["kept"])
    own = [f["exposure_s"] for f in flats if f["filter"] == "Ha"]
    assert own[-1] > own[0], "longer while the light falls"
    assert state.parked and state.shutters == {"cover": "closed", "roof": "closed"}
    made = list(made_frames([tmp_path]))
    light = next(m for m in made if m.kind == "flat" and m.filter == "Ha")
    wanted = Wanted(flats=4, dark_flats=2)
    (found,) = cover([*made, _as_light(light)], wanted)
    assert found.flat.state is Cover.OK and found.dark_flat.state is Cover.OK


def _as_light(flat: Made) -> Made:
    return replace(flat, kind="light", source="")


def test_stars_move_on_from_frame_to_frame(tmp_path: Path) -> None:
    """The mount stands still, and every frame's middle is another place of the sky."""

    async def work(place: Place) -> None:
        wish = {"source": "twilight", "when": "dusk", "filters": ["L"], "count": 3, "dark_flats": 0}
        assert (await place.ask(Command.BEGIN, kind="flats", ready=True, **wish)).taken
        await place.until(Kind.ERRAND_ENDED, outcome="done")
        headers = [read_header(Path(f["path"])) for f in frames_of(place.told) if f["kept"]]
        apart = [3600 * separation_deg(a["RA"], a["DEC"], b["RA"], b["DEC"]) for a, b in pairwise(headers)]
        assert len(apart) == 2 and min(apart) > 15, "in seconds of arc, by what the mount said last"

    kept(tmp_path, work, rig=begins_at(0), pixels=True)


def test_dawn_and_what_came_too_late(tmp_path: Path) -> None:
    dawn = next_window(SMALL, EVENING, "dawn")
    assert dawn is not None
    late_h = (dawn.ends - EVENING).total_seconds() / 3600 - 0.62
    ended, _, state = alone(
        tmp_path, hours=late_h, source="twilight", filters=["L", "Ha"], count=3, dark_flats=0
    )
    assert ended.values["flats"] == {"Ha": 3}
    assert ended.values["failed"] == {"L": "0 of 3, then the sky was too bright"}
    assert state.parked and state.shutters["roof"] == "closed"


def test_a_twilight_far_away_is_refused_and_so_are_trials_of_it(tmp_path: Path) -> None:
    with pytest.raises(
        ErrandRefused, match=r"the next dawn begins at .*, in 1[0-9] h: ask for it within 6 h"
    ):
        alone(tmp_path, source="twilight", when="dawn")
    with pytest.raises(ErrandRefused, match="waits for nobody"):
        alone(tmp_path, source="twilight", trial=True)
    with pytest.raises(ErrandRefused, match="goes with the twilight sky"):
        alone(tmp_path, source="cloth", when="dawn")


def test_a_cloth_by_day_is_looked_at_a_right_angle_from_the_sun(tmp_path: Path) -> None:
    cloth = {"panel": {"cloth_share": 0.01}}
    ended, events, state = alone(
        tmp_path, cloth, hours=-5, source="cloth", filters=["L", "Ha"], count=2, dark_flats=1
    )
    assert ended.values["flats"] == {"L": 2, "Ha": 2} and ended.values["dark_flats"] == {"L": 1, "Ha": 1}
    (place,) = (e.values["place"] for e in events if "place" in e.values)
    apart = float(place.split(", ")[1].split("°")[0])
    assert 75 <= apart <= 105 and float(place.split("°")[0]) > 40
    assert state.parked and state.shutters["roof"] == "closed", "the cloth may lie in the cover's way"
    assert all(f["level"] == 1 for f in frames_of(events))


def test_a_cloth_that_is_too_thin_or_a_sun_that_is_down_is_said(tmp_path: Path) -> None:
    ended, _, _ = alone(tmp_path, {"panel": {"cloth_share": 1.0}}, hours=-5, source="cloth", filters=["L"])
    assert "too bright" in ended.reason and ended.values["outcome"] == "failed"
    ended, _, _ = alone(tmp_path, {"panel": {"cloth_share": 0.01}}, hours=4, source="cloth", filters=["L"])
    assert "no part of the sky that is even and away from the sun" in ended.reason


def test_a_panel_on_the_wall_is_looked_at_from_its_own_position_by_day_too(tmp_path: Path) -> None:
    """Neither parked nor covered meanwhile, both afterwards; and the guards leave that be."""
    assert SMALL.mount is not None and SMALL.panel is not None
    wall = StoredPosition(name="wall", hour_angle_deg=-60, dec_deg=15)
    (tmp_path / "cut").mkdir()
    changed = {
        "mount": SMALL.mount.model_copy(update={"positions": [*SMALL.mount.positions, wall]}),
        "panel": SMALL.panel.model_copy(update={"placed": "fixed", "position": "wall"}),
    }
    rig = begins_at(-4).model_copy(update=changed)

    async def work(place: Place) -> None:
        answer = await place.ask(Command.BEGIN, kind="flats", filters=["L"], count=2, dark_flats=1)
        assert answer.taken, answer.reason
        await some_flats(place, 1)
        gear = place.observatory.truth.gear
        assert not gear.state.parked and shutters(place)["cover"] == "open" and not gear.state.tracking
        ended = await place.until(Kind.ERRAND_ENDED)
        assert ended.values["flats"] == {"L": 2} and ended.values["leaks"] == [], ended.reason
        assert gear.state.parked and shutters(place)["cover"] == "closed" and gear.state.panel_level == 0
        assert shutters(place).get("roof", "closed") == "closed", "it is not opened for that"

    async def stopped(place: Place) -> None:
        assert (await place.ask(Command.BEGIN, kind="flats", filters=["L"], count=30)).taken
        await some_flats(place, 1)
        assert (await place.ask(Command.STOP_ERRAND)).taken
        await place.until(Kind.ERRAND_ENDED)
        gear = place.observatory.truth.gear
        assert gear.state.parked and shutters(place)["cover"] == "closed" and gear.state.panel_level == 0

    kept(tmp_path, work, rig=rig, pixels=True)
    kept(tmp_path / "cut", stopped, rig=rig, pixels=True)
    lost = changed["panel"].model_copy(update={"position": "nowhere"})  # type: ignore[attr-defined]
    with pytest.raises(ErrandRefused, match="'nowhere', where the panel is looked at from"):
        alone(tmp_path, rig=rig.model_copy(update={"panel": lost}), filters=["L"])


def begins_at(hours: float) -> Any:
    return with_values(SMALL, {("simulated", "starts_at"): EVENING + timedelta(hours=hours)})


async def some_flats(place: Place, count: int) -> None:
    while True:
        if sum(f["kept"] for f in frames_of(place.told)) >= count:
            return
        await asyncio.sleep(1)


def shutters(place: Place) -> dict[str, str]:
    return place.observatory.truth.gear.state.shutters


def test_stopped_by_day_it_shuts_and_parks_at_once(tmp_path: Path) -> None:
    """Guards let it stand open though the sun is just down, and nobody else."""

    async def work(place: Place) -> None:
        answer = await place.ask(
            Command.BEGIN, kind="flats", source="twilight", when="dusk", filters=["Ha"], count=30, ready=True
        )
        assert answer.taken, answer.reason
        await some_flats(place, 2)
        assert shutters(place)["roof"] == "open"
        assert (await place.ask(Command.STOP_ERRAND)).taken
        ended = await place.until(Kind.ERRAND_ENDED)
        assert ended.values["outcome"] == "stopped"
        assert shutters(place) == {"cover": "closed", "roof": "closed"}
        assert place.observatory.truth.gear.state.parked

    kept(tmp_path, work, rig=begins_at(0), pixels=True)


def test_killed_under_the_open_sky_it_goes_on_while_the_twilight_lasts(tmp_path: Path) -> None:
    async def work(place: Place) -> None:
        answer = await place.ask(
            Command.BEGIN, kind="flats", source="twilight", when="dusk", filters=["L"], count=6, dark_flats=1,
            ready=True,
        )  # fmt: skip
        assert answer.taken, answer.reason
        await some_flats(place, 2)

    async def again(place: Place) -> None:
        done = await place.until(Kind.ERRAND_ENDED, outcome="done")
        assert done.values["flats"] == {"L": 6}, done.reason
        assert sum(f["kept"] for f in frames_of(place.of(done.errand))) <= 4
        assert shutters(place) == {"cover": "closed", "roof": "closed"}

    kept(tmp_path, work, killed=True, rig=begins_at(0), pixels=True)
    kept(tmp_path, again, rig=begins_at(0), pixels=True)


def test_an_unsafe_sky_is_not_opened_to(tmp_path: Path) -> None:
    watched = SMALL.model_copy(update={"safety": SafetyPart(name="Rain eye")})
    ended, events, _ = alone(
        tmp_path, {"air": {"overcast_mag": 6}}, rig=watched, source="twilight", filters=["L"], count=3
    )
    assert ended.values["outcome"] == "failed"
    assert ended.reason == "nothing is opened: the safety sensor says unsafe"
    assert not any("place" in e.values for e in events)


def test_a_sample_of_twilights_against_the_oracle() -> None:
    told = twilightflats.summarise([twilightflats.one_run(n) for n in (9,)])
    assert told["worse_by_more_than_one"] == [] and told["inside_percent"] >= 95, told
