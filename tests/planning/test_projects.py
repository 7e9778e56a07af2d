"""Projects: goals, what is missing, the season, and what a night is best spent on."""

from datetime import UTC, date, datetime
from typing import Any

import pytest

from campaigns.demo import demo_rig
from vigil.documents.plan import NightPlan, Target
from vigil.documents.project import Goal, Panel, Project, Projects, goals_text, parse_goals
from vigil.planning.bestuse import best_use, into_plan, useful_hours_of, useful_share
from vigil.planning.forecast import forecast
from vigil.planning.overheads import usual_overheads
from vigil.planning.progress import count_up, missing_by_filter, progress_of, season_of
from vigil.planning.projects import carried_on, changed
from vigil.planning.shelfcsv import parse_lines

RIG = demo_rig()
AT = datetime(2027, 1, 12, 16, 40, tzinfo=UTC)


def project(goal: str = "Ha 10 h; O3 8-12 h", name: str = "IC 405", **values: Any) -> Project:
    return Project(name=f"the {name}", target=Target(name=name), goals=parse_goals(goal), **values)


def row(
    through: str, hours: float, standing: str = "kept", target: str = "IC 405", rig: str = "heron-480"
) -> Any:
    return target, through, rig, standing, 10, hours


def test_goals_are_read_as_they_are_written() -> None:
    goals = parse_goals("Ha 10 h; OIII 8–12 h; R+G+B 6 h; total 30 h or more")
    assert [g.words for g in goals] == ["Ha 10 h", "OIII 8-12 h", "R+G+B 6 h", "total 30 h or more"]
    assert parse_goals(goals_text(goals)) == goals
    assert goals[1].takes("O3") and goals[3].takes("whatever") and not goals[0].takes("L")


@pytest.mark.parametrize("text", ["", "Ha", "Ha ten hours", "Ha 0 h", "Ha 12-10 h", "10 h"])
def test_goals_that_are_none(text: str) -> None:
    with pytest.raises(ValueError, match=r"goal|backwards|more than 0"):
        parse_goals(text)


def test_hours_by_filter_however_it_is_spelt() -> None:
    rows = [row("Ha", 3), row("H-alpha", 2), row("Ha", 1, "doubtful"), row("O3", 1, target="M 31")]
    (counted,) = count_up(project(), rows)
    assert (counted.kept_h, counted.doubtful_h, counted.taken_h) == (5, 1, 6)
    assert count_up(project(rigs=["stork-1600"]), rows) == []


def test_what_is_missing() -> None:
    found = progress_of(project(), [row("Ha", 11), row("O3", 3)], [])
    assert found.missing_h == 9 and not found.done
    assert [g.met for g in found.goals] == [True, False]
    assert progress_of(project(), [row("Ha", 10), row("O3", 8)], []).done
    whole = progress_of(project("Ha 4 h; total 10 h"), [row("Ha", 5), row("L", 2)], [])
    assert whole.missing_h == 3


def test_nights_needed_at_the_recent_yield() -> None:
    evenings = [("IC 405", "heron-480", f"2027-01-0{n}", 2.0) for n in range(1, 4)]
    found = progress_of(project("Ha 10 h"), [row("Ha", 6)], evenings)
    assert found.recent_h == 2 and found.nights_needed == 2 and found.nights == 3
    assert "2 nights at the recent 2.0 h" in found.words


def test_groups_and_panels_share_what_is_missing() -> None:
    colours = project("R+G+B 9 h", lines=parse_lines("R 120 s; G 120 s; B 120 s"))
    counted = count_up(colours, [row("R", 3), row("G", 1)])
    assert missing_by_filter(colours, counted, "IC 405") == pytest.approx({"G": 2, "B": 3})
    panels = [Panel(name=f"IC 405 panel {n}", ra_deg=79, dec_deg=34) for n in (1, 2)]
    mosaic = project("Ha 4 h", panels=panels)
    found = progress_of(mosaic, [row("Ha", 6, target="IC 405 panel 1")], [])
    # what one panel has over its goal is no help to the other
    assert found.goals[0].wanted_h == 8 and found.goals[0].kept_h == 4 and found.missing_h == 4


def test_the_season() -> None:
    season = season_of(project(), RIG, AT)
    assert season.first == date(2027, 1, 12) == season.begins
    assert season.ends is not None and date(2027, 3, 1) < season.ends < date(2027, 5, 15)
    assert season_of(project(name="NGC 253"), RIG, AT).begins is None


def test_a_target_renamed_keeps_its_frames() -> None:
    renamed, said = changed(project(), "target", "Flaming Star", AT)
    assert renamed.target.ra_deg == project().target.ra_deg
    assert count_up(renamed, [row("Ha", 2), row("Ha", 1, target="Flaming Star")])[0].kept_h == 3
    assert any("keep 'IC 405'" in words for words in said)
    with pytest.raises(ValueError, match="there are target"):
        changed(project(), "colour", "red", AT)
    assert changed(project(), "grown", "off", AT)[0].limits.grown_percent is None
    assert changed(project(), "goal", "L 3 h", AT)[0].goals == [Goal(filters=["L"], least_h=3)]


def test_the_moon_and_low_altitudes_make_an_hour_worth_less() -> None:
    dark, moonlit = datetime(2027, 1, 12, 22, tzinfo=UTC), datetime(2027, 1, 20, 22, tzinfo=UTC)
    ra, dec = project().target.ra_deg, project().target.dec_deg
    (broad,), (narrow,) = (useful_share(ra, dec, [moonlit], RIG, name) for name in ("L", "Ha"))
    (best,) = useful_share(ra, dec, [dark], RIG, "L")
    assert broad < narrow < best <= 1
    late = datetime(2027, 1, 13, 3, tzinfo=UTC)
    assert useful_share(ra, dec, [late], RIG, "L")[0] < 0.8 * best


def test_the_night_is_shared_out_and_becomes_a_plan() -> None:
    star = project("Ha 3 h", lines=parse_lines("Ha 300 s"), set_point_c=-15)
    galaxy = project("L 20 h", "NGC 2403", lines=parse_lines("L 120 s"))
    done = project("Ha 1 h", "M 31")
    standings = [progress_of(p, [row("Ha", 2, target="M 31")], [], RIG, AT) for p in (star, galaxy, done)]
    found = best_use(standings, RIG, AT, usual_overheads(RIG))
    assert found.useful_h >= found.useful_h_greedy - 1e-9
    assert {s.target for s in found.stints} == {"IC 405", "NGC 2403"}
    assert any(said.startswith("the M 31: all that was wanted") for said in found.why_not)
    # each is taken where it stands higher: the star in the evening
    assert found.stints[0].target == "IC 405" and "goes under its altitude" in found.stints[0].reason
    by_name = {p.project.name: p for p in standings}
    own = NightPlan(name="mine", blocks=[])
    plan, said = into_plan(found, own, RIG, by_name)
    assert said == [] and plan.blocks[0].set_point_c == -15 and plan.blocks[0].lines[0].filter == "Ha"
    expected = forecast(plan, RIG, AT)
    assert expected.frames >= 0.85 * sum(s.frames for s in found.stints)
    assert useful_hours_of(expected, plan, RIG, found) == pytest.approx(found.useful_h, rel=0.2)
    again, said = into_plan(found, plan, RIG, by_name)
    assert len(again.blocks) == len(plan.blocks) and "is replaced" in said[0]


def test_carried_on_exactly_as_it_was() -> None:
    frame = {
        "target": "IC 405", "filter": "Ha", "started_at": "2027-01-05T20:00:00+00:00", "exposure_s": 180.0,
        "gain": 139, "offset": 21, "binning": 1, "set_point_c": -12.0, "ra_deg": 79.1, "dec_deg": 34.3,
        "position_angle_deg": 192.5,
    }  # fmt: skip
    older = frame | {"started_at": "2027-01-01T20:00:00+00:00", "gain": 0, "exposure_s": 60.0}
    made = carried_on(project(), [older, frame])
    line = made.lines[0]
    assert (line.exposure_s, line.gain, line.offset, made.set_point_c) == (180, 139, 21, -12)
    assert (made.target.ra_deg, made.target.dec_deg, made.target.position_angle_deg) == (79.1, 34.3, 192.5)
    own = project(lines=parse_lines("Ha 300 s"), set_point_c=-5)
    assert carried_on(own, [frame]).lines == own.lines and carried_on(own, [frame]).set_point_c == -5
    assert carried_on(project(), []) == project()


def test_projects_are_files(tmp_path: Any) -> None:
    kept = Projects(tmp_path / "projects")
    kept.keep(project())
    assert Projects(tmp_path / "projects").named("THE IC 405") == project()
