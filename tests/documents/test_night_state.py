"""The fold and the table of run states."""

from datetime import UTC, datetime, timedelta
from itertools import product
from typing import Any

import pytest

from vigil.documents.events import Event, Kind
from vigil.documents.night import ALLOWED, NightState, NotAllowed, RunState, change, fold, fold_all

START = datetime(2027, 1, 12, 17, tzinfo=UTC)
PAIRS = {
    ("ready", "running"),
    ("running", "held"),
    ("running", "closing"),
    ("held", "running"),
    ("held", "closing"),
    ("closing", "over"),
}


@pytest.mark.parametrize(("now", "wanted"), list(product(RunState, RunState)))
def test_every_pair_of_run_states(now: RunState, wanted: RunState) -> None:
    if (now.value, wanted.value) in PAIRS:
        assert change(now, wanted) is wanted
    else:
        said = f"is {now} already" if now is wanted else f"{now} can't become {wanted}"
        with pytest.raises(NotAllowed, match=said):
            change(now, wanted)


def test_every_state_stands_in_the_table() -> None:
    assert set(ALLOWED) == set(RunState)


def event(what: Kind, number: int = 0, reason: str = "", /, **values: Any) -> Event:
    return Event(
        id=number, errand="n", at=START + timedelta(seconds=number), kind=what, values=values, reason=reason
    )


def frame(number: int, line: str = "x") -> dict[str, Any]:
    return {"frame_id": f"f{number}", "line": line, "block": "b", "filter": "L", "path": f"/{number}"}


FOCUS = {"position": 6000, "filter": "L", "temperature_c": 1.0, "hfr_px": 1.3}
POINTING = {"block": "b", "off_px": 2.0, "off_arcsec": 3.2, "aim_ra_deg": 10.0, "aim_dec_deg": 20.0}
MEASURED = {"hfr_px": 1.4, "stars": 50, "background_adu": 500.0, "off_px": 3.0, "off_arcsec": 4.8}


def night() -> list[Event]:
    return [
        event(Kind.NIGHT_STARTED, 1),
        event(Kind.WAITING, 2, "for dusk"),
        event(Kind.ACTIVITY_STARTED, 3, activity=1, kind="focus", words="focusing"),
        event(Kind.ACTIVITY_ENDED, 4, activity=1, outcome="done", disturbed=[], focus=FOCUS),
        event(Kind.ACTIVITY_STARTED, 5, activity=2, kind="centre", words="centring"),
        event(Kind.ACTIVITY_ENDED, 6, activity=2, outcome="done", disturbed=["pointing"], pointing=POINTING),
        event(Kind.EXPOSURE_STARTED, 7, **frame(1)),
        event(Kind.EXPOSURE_ENDED, 8, frame_id="f1", outcome="done"),
        event(Kind.FRAME_SAVED, 9, **frame(1)),
        event(Kind.FRAME_MEASURED, 10, **frame(1), **MEASURED),
        event(Kind.EXPOSURE_STARTED, 11, **frame(2)),
    ]


def test_a_night_folded() -> None:
    state = fold_all(night())
    assert state.run is RunState.RUNNING and state.night == "n" and state.last_id == 11
    assert state.focus is not None and state.focus.position == 6000
    assert (
        state.pointing is not None and state.pointing.off_px == 3.0
    )  # by the light, newer than the centring
    assert state.done("x") == 1 and state.done("y") == 0
    assert set(state.announced) == {"f1", "f2"} and set(state.saved) == {"f1"}
    assert state.exposing is not None and state.exposing.values["frame_id"] == "f2"
    assert state.waiting is None and not state.activities
    assert state.saved["f1"]["hfr_px"] == 1.4 and state.saved["f1"]["path"] == "/1"
    assert [light.hfr_px for light in state.lights_since_focus] == [1.4]


def test_figures_alone_make_no_frame() -> None:
    measured = event(Kind.FRAME_MEASURED, 12, **frame(2), **MEASURED)
    assert fold_all([*night(), measured]).done("x") == 1


def test_folding_in_parts_is_folding_at_once() -> None:
    events = night()
    for cut in range(len(events)):
        state = fold_all(events[:cut])
        for later in events[cut:]:
            state = fold(state, later)
        assert state == fold_all(events)


def test_after_a_crash_counts_and_focus_survive_and_pointing_does_not() -> None:
    state = fold_all([*night(), event(Kind.NIGHT_RESUMED, 12)])
    assert state.exposing is None and state.pointing is None
    assert state.focus is not None and state.done("x") == 1


def test_what_an_activity_disturbs_is_unknown() -> None:
    slewed = event(Kind.ACTIVITY_ENDED, 12, activity=3, outcome="cancelled", disturbed=["pointing", "focus"])
    state = fold_all([*night(), slewed])
    assert state.pointing is None and state.focus is None


def test_a_new_focus_begins_a_new_row_of_lights() -> None:
    again = event(Kind.ACTIVITY_ENDED, 12, activity=3, outcome="done", disturbed=[], focus=FOCUS)
    assert fold_all([*night(), again]).lights_since_focus == ()


def test_holding_waiving_giving_up_closing() -> None:
    until = (START + timedelta(hours=1)).isoformat()
    state = fold_all(
        [
            *night(),
            event(Kind.WAIVED, 12, "clouds", condition="focus fresh", until=until),
            event(Kind.WAIVED, 13, "still clouds", condition="focus fresh", until=until),
            event(Kind.BLOCK_GIVEN_UP, 14, block="b"),
            event(Kind.HELD, 15, "a car"),
        ]
    )
    assert [w.reason for w in state.waivers] == ["still clouds"]
    assert state.given_up == {"b"} and state.hold == "a car" and state.run is RunState.HELD
    state = fold(state, event(Kind.RESUMED, 16))
    assert state.hold is None and state.run is RunState.RUNNING
    state = fold(state, event(Kind.CLOSING_STARTED, 17, "dawn"))
    state = fold(state, event(Kind.CLOSING_PART, 18, part="park", outcome="done"))
    assert state.end_reason == "dawn" and state.closing == ({"part": "park", "outcome": "done"},)
    # a keeper that died while closing begins the closing anew
    state = fold(state, event(Kind.CLOSING_STARTED, 19, "dawn"))
    assert state.closing == ()
    assert fold(state, event(Kind.NIGHT_OVER, 20)).run is RunState.OVER


def test_events_against_the_table_are_refused() -> None:
    with pytest.raises(NotAllowed):
        fold(NightState(), event(Kind.HELD))
    with pytest.raises(NotAllowed):
        fold_all([*night(), event(Kind.NIGHT_OVER, 12)])
