"""At a night's end, shut and still cold, darks that the lights lack are taken before the camera warms up."""

from pathlib import Path
from typing import Any

from campaigns.demo import quick_rig, short_plan
from campaigns.night import Played, play
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Command
from vigil.documents.rig.beside import CoverPart
from vigil.documents.rig.change import with_values
from vigil.files.madeframes import made_frames

RIG = with_values(quick_rig(focuser=None), {("camera", "columns"): 400, ("camera", "rows"): 300}).model_copy(
    update={"cover": CoverPart(name="Flap")}
)
NO_COVER = RIG.model_copy(update={"cover": None})


def night(folder: Path, minutes: float, rig: Any = RIG, quick: bool = False, on_event: Any = None) -> Played:
    plan = short_plan(count=1, exposure_s=20.0, darks_at_end_min=minutes, refocus_hours=None)
    return play(rig, plan, folder, 2, quick=quick, on_event=on_event)


def parts(played: Played) -> dict[str, Event]:
    return {e.values["part"]: e for e in played.of(Kind.CLOSING_PART)}


def test_darks_are_taken_shut_and_cold_before_warming_and_cover_the_lights(tmp_path: Path) -> None:
    played = night(tmp_path, 30)
    found = parts(played)
    assert found["darks"].values["outcome"] == "done" and "70 darks and bias" in found["darks"].reason
    order = list(found)
    assert order.index("close the cover") < order.index("darks") < order.index("warm up")
    made = [m for m in made_frames([tmp_path / "calibration"])]
    assert sum(m.kind == "dark" and m.exposure_s == 20 for m in made) == 20
    assert sum(m.kind == "bias" for m in made) == 50
    assert {m.temperature_c for m in made} == {RIG.camera.cooler.set_point_c}  # type: ignore[union-attr]


def test_the_time_allowed_is_kept_to_and_what_is_left_is_said(tmp_path: Path) -> None:
    played = night(tmp_path, 2)
    found = parts(played)
    assert "the time was over" in found["darks"].reason
    began = next(e.at for e in played.events if e.kind is Kind.CLOSING_STARTED)
    assert (found["darks"].at - began).total_seconds() < 300
    assert found["warm up"].values["outcome"] == "done"


def test_in_the_open_none_are_taken_and_the_camera_warms_all_the_same(tmp_path: Path) -> None:
    found = parts(night(tmp_path, 30, NO_COVER, quick=True))
    assert found["darks"].values["outcome"] != "done" and "neither cover nor roof" in found["darks"].reason
    assert found["warm up"].values["outcome"] == "done"


def test_an_emergency_stop_in_the_middle_leaves_the_frames_that_are_there(tmp_path: Path) -> None:
    """Whoever stops them: what there is stays, all is shut, and the camera warms up."""

    async def look(event: Event, played: Played) -> None:
        if event.kind is Kind.CLOSING_STARTED:
            while not list((tmp_path / "calibration").rglob("*dark*.fits")):
                await played.equipment.clock.sleep(1)
            await played.ask(Command.DEVICE, device="all", action="stop")

    played = night(tmp_path, 30, on_event=look)
    assert list((tmp_path / "calibration").rglob("*.fits"))
    assert parts(played)["warm up"].values["outcome"] == "done"
    assert played.truth.gear.state.shutters["cover"] == "closed" and played.truth.gear.state.parked
