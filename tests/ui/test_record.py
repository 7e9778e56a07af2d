"""A night's events sorted by where they are drawn."""

from tests.ui.conftest import ToldNight
from vigil.documents.events import Event, Kind
from vigil.documents.night import fold_all
from vigil.documents.reasonlog import Weight
from vigil.ui.record import NightRecord


def test_a_record_holds_the_whole_night(told: ToldNight) -> None:
    record = NightRecord.of(told.events)
    assert record.state == fold_all(told.events)
    assert record.tally == (6, 6) and not record.under_way
    assert len(record.measured()) == 6 == sum(e.outcome == "done" for e in record.exposures)
    (run,) = [r for r in record.focus_runs if r.outcome == "done"][:1]
    curve = run.curve()
    assert curve is not None and run.best is not None and abs(curve.best - run.best) < 10
    centring = record.centrings[0]
    assert centring.off_px[0] > centring.off_px[-1] and centring.off_px[-1] <= centring.limit_px == 4
    (hold,) = record.holds
    assert hold.ends is not None and hold.ends >= hold.begins
    assert record.last_light is not None and record.last_light.path.exists()


def test_what_is_under_way_is_told_while_it_is(told: ToldNight) -> None:
    focusing = NightRecord.of(told.events[: told.upto(Kind.ACTIVITY_STEP, 4, kind="focus")])
    assert focusing.focusing is not None and len(focusing.focusing.samples) == 4
    assert focusing.focusing.curve() is None  # too few
    centring = NightRecord.of(told.events[: told.upto(Kind.ACTIVITY_STEP, 1, kind="centre")])
    assert centring.centring is not None and centring.focusing is None
    exposing = NightRecord.of(told.events[: told.upto(Kind.EXPOSURE_STARTED, 2)])
    assert exposing.exposing is not None and exposing.exposing.words.endswith("2 of 3")


def test_the_log_says_what_and_why(told: ToldNight) -> None:
    record = NightRecord.of(told.events)
    said = {s.what.partition(":")[0]: s for s in record.sentences}
    assert said["centred"].what.endswith("limit 4") and "not solved" in said["centred"].why
    assert said["focused"].why == "focus fresh: not focused yet tonight"
    assert said["held"].weight is Weight.NOTICE and said["night over"].why == "all frames are taken"
    assert all(s.what and s.at for s in record.sentences)
    assert not any("measured" in s.what for s in record.sentences)


def test_a_keeper_that_died_leaves_nothing_under_way(told: ToldNight) -> None:
    until = told.events[: told.upto(Kind.EXPOSURE_STARTED, 2)]
    last = until[-1]
    resumed = Event(id=last.id + 1, errand=last.errand, at=last.at, kind=Kind.NIGHT_RESUMED)
    record = NightRecord.of([*until, resumed])
    assert record.exposing is None and record.exposures[-1].outcome == "lost"
    running = NightRecord.of([*told.events[: told.upto(Kind.ACTIVITY_STEP, 3, kind="focus")], resumed])
    assert running.focusing is None


def test_what_failed_is_being_tried_again_until_it_is_done(told: ToldNight) -> None:
    """Also while the next try is under way, not only while it is waited for."""
    upto = told.upto(Kind.ACTIVITY_STARTED, 1, kind="centre")
    record = NightRecord.of(told.events[:upto])
    begun = told.events[upto - 1]
    assert record.trying_again == ""
    ended = {"activity": begun.values["activity"], "kind": "centre", "condition": "on target"}

    def tell(kind: Kind, values: dict[str, object], reason: str, after: int) -> None:
        event = Event(
            errand=begun.errand, id=begun.id + after, at=begun.at, kind=kind, values=values, reason=reason
        )
        record.add(event)

    tell(Kind.ACTIVITY_ENDED, {**ended, "outcome": "failed"}, "3 stars are too few", 1)
    assert record.trying_again == "centring failed: 3 stars are too few"
    again = {**begun.values, "activity": 901}
    tell(Kind.ACTIVITY_STARTED, again, "on target: not solved", 2)
    assert record.trying_again, "it is tried, and not done yet"
    tell(Kind.ACTIVITY_ENDED, {**ended, "activity": 901, "outcome": "done"}, "1.2 px off", 3)
    assert record.trying_again == ""
