"""Each condition at its limit, from both sides."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from pydantic import ValidationError

from campaigns.demo import demo_plan, demo_rig
from vigil.devices.protocols import (
    CameraState,
    Exposure,
    FocuserState,
    HeatersState,
    MountState,
    PierSide,
    WheelState,
)
from vigil.documents.night import FocusRecord, LightFigures, NightState, PointingRecord
from vigil.documents.plan import Block, StandingOrders, contradictions
from vigil.engine import conditions
from vigil.engine.averaging import Averaged
from vigil.engine.check import Check, Standing
from vigil.engine.conditions import conditions_for
from vigil.engine.conditions.focus import grown_percent
from vigil.engine.guiding.guided import Guided, GuideStanding
from vigil.engine.remedy import Do, NotBefore, Remedy
from vigil.engine.view import View
from vigil.engine.wanted import Wanted, light_wanted, orders_for
from vigil.planning.choice import Candidate

NOW = datetime(2027, 1, 12, 20, tzinfo=UTC)
PLAN, RIG = demo_plan(), demo_rig()
BLOCK = PLAN.blocks[0]
TARGET = BLOCK.target
FOCUS = FocusRecord(6000, "L", 1.0, 1.3, NOW - timedelta(minutes=30))
POINTING = PointingRecord(NOW, BLOCK.id, 1.0, 1.6, TARGET.ra_deg + 0.1, TARGET.dec_deg)

MOUNT = MountState(TARGET.ra_deg + 0.1, TARGET.dec_deg, True, False, False, PierSide.WEST)

CANDIDATE = Candidate(BLOCK, BLOCK.lines[0], 1, NOW - timedelta(hours=2), NOW + timedelta(hours=2))
GOOD = View(
    at=NOW,
    rig=RIG,
    orders=PLAN.orders,
    night=NightState(focus=FOCUS, pointing=POINTING),
    wanted=light_wanted(CANDIDATE, RIG, PLAN),
    states={
        "camera": CameraState(-10.0, -10.0, 0.5, "idle"),
        "filter wheel": WheelState(5),
        "focuser": FocuserState(6031, False, 0.5),
        "mount": MOUNT,
        "heaters": HeatersState({"telescope": 40, "guide scope": 30}),
    },
    free_bytes=10**11,
    guided=Guided(GuideStanding.SETTLED, "settled", 0.8, 1.6, 5.0),
)


def having(**states: object) -> View:
    """All well but for the state of some devices; None for one that isn't connected."""
    changed = {name.replace("_", " "): state for name, state in states.items()}
    return replace(GOOD, states={**GOOD.states, **changed})


def check(name: str, view: View) -> Check:
    condition = next(c for c in conditions_for(RIG) if c.name == name)
    return condition.check(view, view.at, view.at + timedelta(seconds=182))


def test_all_is_met() -> None:
    for condition in conditions_for(RIG):
        found = check(condition.name, GOOD)
        assert found.met, (condition.name, found.words)
        assert found.words


def light(hfr_px: float, name: str = "Ha") -> LightFigures:
    return LightFigures("id", name, hfr_px, 100, 500.0)


def with_night(**changes: object) -> View:
    return replace(GOOD, night=replace(GOOD.night, **changes))  # type: ignore[arg-type]


def with_orders(**values: object) -> StandingOrders:
    return PLAN.orders.model_copy(update=values)


def guided(standing: GuideStanding, off_arcsec: float | None = None) -> View:
    return replace(GOOD, guided=Guided(standing, "said", off_arcsec, 1.6))


def test_growth_is_a_trend_and_one_bad_frame_is_none() -> None:
    assert grown_percent([2.0, 2.6]) == 0
    assert grown_percent([2.0, 2.0, 2.0, 3.0]) == 0
    assert grown_percent([2.0, 3.0, 2.0, 2.0, 2.0, 2.0]) == 0
    steady = [2.0 * (1 + 0.02 * n) for n in range(10)]
    assert grown_percent(steady) == pytest.approx(16, abs=0.1)
    assert grown_percent([2.0, 2.0, 2.0, 2.6, 2.6, 2.6, 2.6]) == pytest.approx(30, abs=1)


def test_a_gust_does_not_count() -> None:
    averaged = Averaged()
    assert averaged.over(5) is None
    for minute in range(31):
        averaged.add(NOW + timedelta(minutes=minute), 4.0 if minute == 30 else 10.0)
    assert averaged.over(0) == 4.0 and averaged.over(5) == pytest.approx(9.0)
    assert averaged.over(60) == pytest.approx(10 - 6 / 31)


@pytest.mark.parametrize(
    ("name", "view", "standing", "says"),
    [
        ("connected", having(filter_wheel=None), Standing.NOT_MET, "filter wheel"),
        (
            "in its span",
            replace(GOOD, wanted=replace(GOOD.wanted, closes=NOW + timedelta(seconds=181))),
            Standing.NOT_MET,
            "1 s late",
        ),
        (
            "in its span",
            replace(GOOD, wanted=replace(GOOD.wanted, opens=NOW + timedelta(seconds=1))),
            Standing.NOT_MET,
            "opens",
        ),
        ("room on disk", replace(GOOD, free_bytes=10**8), Standing.NOT_MET, "0.1 GB free"),
        (
            "camera cold",
            having(camera=CameraState(-9.4, -10.0, 1, "idle")),
            Standing.NOT_MET,
            "−9.4 °C",
        ),
        ("camera cold", having(camera=CameraState(-10, None, 0, "idle")), Standing.NOT_MET, "−10"),
        ("camera cold", having(camera=None), Standing.UNKNOWN, "not connected"),
        (
            "tracking",
            having(mount=replace(MOUNT, parked=True)),
            Standing.NOT_MET,
            "parked",
        ),
        (
            "tracking",
            having(mount=replace(MOUNT, tracking=False)),
            Standing.NOT_MET,
            "off",
        ),
        (
            "pointed",
            having(mount=replace(MOUNT, dec_deg=40.0)),
            Standing.NOT_MET,
            "5.6",
        ),
        ("focus fresh", with_night(focus=None), Standing.UNKNOWN, "not focused"),
        (
            "focus fresh",
            having(focuser=FocuserState(6031, False, -0.3)),
            Standing.NOT_MET,
            "1.3 °C",
        ),
        (
            "focus fresh",
            with_night(focus=replace(FOCUS, at=NOW - timedelta(minutes=91))),
            Standing.NOT_MET,
            "91 min",
        ),
        (
            "focus fresh",
            replace(GOOD, tube_c=-0.3),
            Standing.NOT_MET,
            "1.3 °C",
        ),
        (
            "focus fresh",
            replace(with_night(frames_since_focus=5), orders=with_orders(focus_every_frames=5)),
            Standing.NOT_MET,
            "frames since focus 5",
        ),
        (
            "focus fresh",
            replace(GOOD, orders=with_orders(focus_at_new_target=True)),
            Standing.NOT_MET,
            "a new target: IC 405",
        ),
        (
            "focus fresh",
            replace(GOOD, orders=with_orders(focus_at_filter_change=True)),
            Standing.NOT_MET,
            "another filter: Ha",
        ),
        ("focus fresh", with_night(refocus_asked=True), Standing.NOT_MET, "by hand"),
        (
            "focus fresh",
            with_night(lights_since_focus=(light(2.0), light(2.3), light(2.4), light(2.5))),
            Standing.NOT_MET,
            "grown by 20 %",
        ),
        ("guiding settled", replace(GOOD, guided=None), Standing.UNKNOWN, "nothing guides"),
        ("guiding settled", guided(GuideStanding.OFF), Standing.NOT_MET, "said"),
        ("guiding settled", guided(GuideStanding.SETTLING, 0.3), Standing.NOT_MET, "said"),
        ("guiding settled", guided(GuideStanding.SETTLED, 1.7), Standing.NOT_MET, "said"),
        ("on target", with_night(pointing=None), Standing.UNKNOWN, "not solved"),
        ("on target", with_night(pointing=replace(POINTING, block="other")), Standing.UNKNOWN, "not solved"),
        (
            "on target",
            with_night(pointing=replace(POINTING, off_arcsec=121.0, off_px=75.0)),
            Standing.NOT_MET,
            "75.0 px",
        ),
        (
            "on target",
            having(mount=replace(MOUNT, dec_deg=TARGET.dec_deg + 0.05)),
            Standing.UNKNOWN,
            "moved by 3.0′",
        ),
        ("filter", having(filter_wheel=WheelState(4)), Standing.NOT_MET, "Ha is not"),
        ("filter", having(filter_wheel=WheelState(None)), Standing.NOT_MET, "Ha is not"),
        (
            "filter",
            having(focuser=FocuserState(6000, False, 0.5)),
            Standing.NOT_MET,
            "focuses at 6031",
        ),
    ],
)
def test_just_past_the_limit(name: str, view: View, standing: Standing, says: str) -> None:
    found = check(name, view)
    assert found.standing is standing
    assert says in found.words
    assert not found.met


@pytest.mark.parametrize(
    ("name", "view"),
    [
        ("camera cold", having(camera=CameraState(-9.5, -10.0, 1, "idle"))),
        ("focus fresh", having(focuser=FocuserState(6031, False, -0.2))),
        ("focus fresh", with_night(focus=replace(FOCUS, at=NOW - timedelta(minutes=89)))),
        ("focus fresh", replace(having(focuser=FocuserState(6031, False, -0.3)), tube_c=1.0)),
        ("focus fresh", replace(with_night(frames_since_focus=4), orders=with_orders(focus_every_frames=5))),
        (
            "focus fresh",
            with_night(refocusing_paused=True, focus=replace(FOCUS, at=NOW - timedelta(minutes=91))),
        ),
        ("focus fresh", with_night(lights_since_focus=(light(2.0, "L"), light(2.6), light(2.7)))),
        ("focus fresh", with_night(lights_since_focus=(light(2.0), light(2.25), light(2.25)))),
        ("on target", with_night(pointing=replace(POINTING, off_arcsec=119.0))),
        ("filter", with_night(focus=None)),
        ("guiding settled", guided(GuideStanding.SETTLED, 1.6)),
    ],
)
def test_just_inside_the_limit(name: str, view: View) -> None:
    assert check(name, view).met


def test_gauges_say_how_far() -> None:
    gauges = {g.words: (g.value, g.limit, g.unit) for g in check("focus fresh", GOOD).gauges}
    assert gauges == {
        "temperature change": (0.5, 1.2, "°C"),
        "since focus": (30.0, 90.0, "min"),
        "stars grown by": (0.0, 15.0, "%"),
    }
    told = check("camera cold", GOOD).told("camera cold")
    assert told["standing"] == "met" and told["gauges"][0]["limit"] == 0.5


def test_what_brings_each_about() -> None:
    def kind(remedy: Remedy) -> str:
        return type(remedy.activity if isinstance(remedy, Do) else remedy).__name__

    kinds = {c.name: kind(c.remedy(GOOD)) for c in conditions_for(RIG)}
    assert kinds == {
        "connected": "Connect",
        "enough stars": "Hold",
        "in its span": "NotNow",
        "room on disk": "Hold",
        "camera cold": "Cool",
        "heaters": "Heat",
        "pier side": "NotBefore",  # the window is hours away
        "tracking": "WakeMount",
        "polar aligned": "AlignPolar",
        "guide calibrated": "CalibrateAway",
        "pointed": "Slew",
        "focus fresh": "Focus",
        "camera angle": "TurnByHand",
        "on target": "Centre",
        "dithered": "GuidedDither",
        "filter": "ChangeFilter",
        "guiding settled": "Guide",
    }


def test_a_block_may_have_a_set_point_of_its_own() -> None:
    own = BLOCK.model_copy(update={"set_point_c": -15.0})
    view = replace(GOOD, wanted=light_wanted(replace(CANDIDATE, block=own), RIG, PLAN))
    found = check("camera cold", view)
    assert not found.met and "wanted −15.0" in found.words
    remedy = next(c for c in conditions_for(RIG) if c.name == "camera cold").remedy(view)
    assert isinstance(remedy, Do) and remedy.activity.set_point_c == -15.0  # type: ignore[attr-defined]
    warm = PLAN.model_copy(update={"blocks": [own]})
    uncooled = RIG.model_copy(update={"camera": RIG.camera.model_copy(update={"cooler": None})})
    assert not contradictions(warm, RIG)
    assert "no cooler" in contradictions(warm, uncooled)[0]


def test_a_block_may_have_limits_of_its_own() -> None:
    far = replace(GOOD.night.pointing, off_arcsec=150.0)
    wandered = replace(GOOD, night=replace(GOOD.night, pointing=far))
    assert not check("on target", wandered).met
    for keep, met in ((3.0, True), (None, True), (2.0, False)):
        own = Block.model_validate({**BLOCK.model_dump(), "limits": {"target_keep_arcmin": keep}})
        view = replace(wandered, orders=orders_for(own, PLAN))
        assert check("on target", view).met is met, keep
        assert own.orders_in(PLAN.orders).dither_px == PLAN.orders.dither_px


@pytest.mark.parametrize(
    ("limits", "said"),
    [
        ({"focus_every_min": -1}, "focus_every_min"),
        ({"park_at_end": False}, "no limit 'park_at_end' of its own"),
        ({"focus_evry_min": 60}, "there are angle_within_deg"),
    ],
)
def test_wrong_limits_of_a_block_are_refused(limits: dict[str, object], said: str) -> None:
    with pytest.raises(ValidationError, match=said):
        Block.model_validate({**BLOCK.model_dump(), "limits": limits})


def test_limits_that_are_off_are_not_looked_at() -> None:
    off = {"focus_colder_by_c": None, "focus_every_min": None, "focus_grown_by_percent": None}
    plan = PLAN.model_copy(update={"orders": PLAN.orders.model_copy(update=off)})
    assert check("focus fresh", replace(GOOD, orders=plan.orders)).gauges == ()
    assert len(check("focus fresh", GOOD).gauges) == 3


# -- frames of no place, and a condition of one's own ---------------------------------------------------


DARK = Wanted("dark", "darks of 300 s", "darks", "300 s", Exposure(300, 100, 50), set_point_c=-10.0)
FLAT = Wanted("flat", "flats through L", "flats", "L", Exposure(2, 100, 50), "L", -10.0)


def test_darks_and_flats_ask_for_no_place_and_no_stars() -> None:
    """Parked, never focused, nothing solved, nothing tracks: none of that keeps a dark waiting."""
    nothing = replace(
        having(mount=replace(MOUNT, parked=True, tracking=False), filter_wheel=WheelState(4)),
        night=NightState(),
        orders=with_orders(stars_at_least_percent=50),
    )
    asked = [c for c in conditions_for(RIG) if c.name != "focus fresh"]
    for wanted in (DARK, FLAT):
        view = replace(nothing, wanted=wanted)
        unmet = [c.name for c in asked if not check(c.name, view).met]
        assert unmet == (["filter"] if wanted.filter else []), wanted.kind
    warm = replace(nothing, wanted=replace(DARK, set_point_c=-20.0))
    assert check("camera cold", warm).standing is Standing.NOT_MET
    assert check("camera cold", replace(nothing, wanted=replace(DARK, set_point_c=None))).met


def test_flats_know_the_focus_of_the_lights_before_them() -> None:
    there = having(filter_wheel=WheelState(1), focuser=FocuserState(6000, False, 0.5))
    assert check("filter", replace(there, wanted=FLAT)).met
    away = having(filter_wheel=WheelState(1), focuser=FocuserState(6500, False, 0.5))
    assert "L focuses at 6000" in check("filter", replace(away, wanted=FLAT)).words


CALM = """
from vigil.engine.check import Check, Condition, Standing


class Calm(Condition):
    name = "calm"
    place = 65

    def check(self, view, start, end):
        return Check(Standing.MET if view.tube_c is None else Standing.NOT_MET, "no wind")
"""


def test_a_new_condition_is_one_file(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """As docs/architecture.md tells it."""
    (tmp_path / "calm.py").write_text(CALM)
    monkeypatch.setattr(conditions, "__path__", [*conditions.__path__, str(tmp_path)])
    conditions.every_condition.cache_clear()
    try:
        names = [condition.name for condition in conditions_for(RIG)]
        assert names[names.index("calm") - 1] == "camera cold" and names[names.index("calm") + 1] == "heaters"
        assert check("calm", GOOD).met and not check("calm", replace(GOOD, tube_c=3.0)).met
        remedy = next(c for c in conditions_for(RIG) if c.name == "calm").remedy(GOOD)
        assert isinstance(remedy, NotBefore) and remedy.why == "no wind"
    finally:
        conditions.every_condition.cache_clear()


def test_a_frame_ends_for_lasting_guide_errors_where_the_plan_wants_it() -> None:
    condition = next(c for c in conditions_for(RIG) if c.name == "guiding settled")

    def says(offs: list[float | None], **orders: object) -> str | None:
        recent = tuple((NOW + timedelta(seconds=2 * n), off) for n, off in enumerate(offs))
        view = replace(GOOD, guided=Guided(GuideStanding.LOST, "said", recent=recent))
        return condition.ends_exposure(replace(view, orders=with_orders(**orders)), NOW, NOW)

    gone: list[float | None] = [0.5, *[3.0, None] * 8]
    assert says(gone) is None, "off unless the plan wants it"
    assert says(gone, guide_error_arcsec=2.0) == "guiding was off by more than 2\u2033 for 30 s"
    assert says([*gone, 0.4], guide_error_arcsec=2.0) is None, "it came back"
    assert says(gone, guide_error_arcsec=2.0, guide_error_s=60.0) is None, "not for so long yet"
    assert says([], guide_error_arcsec=2.0) is None
