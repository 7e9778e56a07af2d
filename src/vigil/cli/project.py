"""`vigil project`: hours of one target over many nights."""

import argparse
import json
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, my_rigs, name_wanted, needs, rig_path
from vigil.cli.frame import target_wanted
from vigil.cli.ledgers import ledger_of
from vigil.cli.shelf import load_shelf
from vigil.cli.targets import night_wanted
from vigil.documents.namedfiles import NotThere
from vigil.documents.plan import NightPlan, Target
from vigil.documents.project import Project, Projects, goals_text, parse_goals
from vigil.documents.refusal import in_words
from vigil.documents.rig import Rig
from vigil.documents.store import save
from vigil.ledger.projecthours import all_progress, noise_by_filter, tonight
from vigil.ledger.reading import LedgerUnread
from vigil.ledger.store import LedgerError
from vigil.planning.bestuse import BestUse, into_plan
from vigil.planning.progress import Progress
from vigil.planning.projects import changed, of_framed
from vigil.planning.shelfcsv import parse_lines
from vigil.runtime.folders import projects_folder
from vigil.subexposures.advice import advise

_WORDS = {"show": "NAME", "new": "NAME", "remove": "NAME", "subs": "NAME"}


def run(args: argparse.Namespace) -> int:
    """0 done; `advise` 3 where nothing is to be had tonight."""
    if args.action in _WORDS and len(args.words) != 1:
        raise BadInput(needs("project", args.action, _WORDS[args.action]))
    projects = Projects(projects_folder())
    try:
        return _ACTIONS[args.action](args, projects)
    except (NotThere, LedgerUnread, LedgerError) as problem:
        raise BadInput(str(problem)) from None


def _rig(args: argparse.Namespace) -> Rig:
    return load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))


def _rigs() -> dict[str, Rig]:
    return {entry.rig.id: entry.rig for entry in my_rigs().entries() if entry.rig is not None}


def _progress(args: argparse.Namespace, projects: list[Project]) -> list[Progress]:
    rig = _rig(args)
    return all_progress(ledger_of(rig.id), projects, _rigs(), rig, night_wanted(args.night, rig))


def _told(progress: Progress) -> dict[str, Any]:
    project, season = progress.project, progress.season
    return {
        "name": project.name,
        "target": project.target.name,
        "rigs": project.rigs,
        "goals": [
            {
                "goal": g.goal.words,
                "kept_h": round(g.kept_h, 3),
                "taken_h": round(g.taken_h, 3),
                "doubtful_h": round(g.doubtful_h, 3),
                "wanted_h": g.wanted_h,
                "met": g.met,
            }
            for g in progress.goals
        ],
        "filters": {
            name: {"kept_h": round(c.kept_h, 3), "taken_h": round(c.taken_h, 3), "frames": c.frames}
            for name, c in progress.by_filter.items()
        },
        "panels": [
            {
                "panel": c.target,
                "filter": c.filter,
                "kept_h": round(c.kept_h, 3),
                "taken_h": round(c.taken_h, 3),
            }
            for c in progress.counted
        ],
        "missing_h": round(progress.missing_h, 3),
        "nights": progress.nights,
        "last_night": progress.last_evening,
        "recent_h_a_night": None if progress.recent_h is None else round(progress.recent_h, 3),
        "nights_needed": progress.nights_needed,
        "season_ends": str(season.ends) if season and season.ends else None,
        "season_left_h": round(season.left_h, 1) if season else None,
        "in_time": progress.in_time,
        "paused": project.paused,
        "words": progress.words,
    }


def _list(args: argparse.Namespace, projects: Projects) -> int:
    found = _progress(args, projects.all())
    if args.json:
        print(json.dumps({"projects": [_told(p) for p in found]}, ensure_ascii=False))
        return OK
    for progress in found:
        print(f"{progress.project.name}: {progress.kept_h:.1f} h kept; {progress.words}")
    for line in projects.broken():
        print(f"can't be read: {line}")
    if not found:
        print('no projects yet: vigil project new NAME --target T --goal "Ha 10 h; O3 8 h"')
    return OK


def _show(args: argparse.Namespace, projects: Projects) -> int:
    progress = _progress(args, [projects.named(args.words[0])])[0]
    if args.json:
        print(json.dumps(_told(progress), ensure_ascii=False))
        return OK
    project = progress.project
    print(f"{project.name}: {project.target.name}, {goals_text(project.goals)}")
    for goal in progress.goals:
        print(
            f"  {goal.goal.name}: {goal.kept_h:.2f} h kept of {goal.wanted_h:g}, "
            f"{goal.taken_h:.2f} taken, {goal.doubtful_h:.2f} doubtful"
        )
    if project.panels:
        for one in progress.counted:
            print(f"  {one.target} {one.filter}: {one.kept_h:.2f} h kept, {one.taken_h:.2f} taken")
    print(progress.words)
    return OK


def _new(args: argparse.Namespace, projects: Projects) -> int:
    name = name_wanted(args.words[0])
    if any(p.name.casefold() == name.casefold() for p in projects.all()):
        raise BadInput(f"there is a project called {name!r}: vigil project set changes it")
    if not args.goal:
        raise BadInput('a project needs a goal: --goal "Ha 10 h; O3 8 h"')
    rig = _rig(args) if args.rig else None
    try:
        goals = parse_goals(args.goal)
        lines = parse_lines(args.lines, rig) if args.lines else []
        if args.from_shelf:
            framed = load_shelf().named(args.from_shelf)
            if framed is None:
                raise BadInput(f"{args.from_shelf!r} is not on the shelf: vigil shelf list")
            made = of_framed(framed, name, goals, _rig(args))
        elif args.target:
            at = datetime.now(UTC)
            called, ra, dec, _ = target_wanted(args.target, at)
            made = Project(name=name, target=Target(name=called, ra_deg=ra, dec_deg=dec), goals=goals)
        else:
            raise BadInput("a project needs --target, or --from-shelf")
        made = made.model_copy(update={"rigs": [rig.id] if rig else made.rigs, "lines": lines or made.lines})
    except ValidationError as problem:
        raise BadInput(in_words(problem)) from None
    except ValueError as problem:
        raise BadInput(str(problem)) from None
    path = projects.keep(made)
    print(
        json.dumps({"name": made.name, "file": str(path), "goal": goals_text(made.goals)}, ensure_ascii=False)
        if args.json
        else f"{made.name}: {goals_text(made.goals)} of {made.target.name}"
    )
    return OK


def _set(args: argparse.Namespace, projects: Projects) -> int:
    if len(args.words) < 2:
        raise BadInput(needs("project", "set", "NAME KEY=VALUE…"))
    project = projects.named(args.words[0])
    said: list[str] = []
    for word in args.words[1:]:
        key, equals, value = word.partition("=")
        if not equals:
            raise BadInput(f'{word!r}: write KEY=VALUE, as goal="Ha 12 h"')
        try:
            project, words = changed(project, key.strip(), value.strip(), datetime.now(UTC))
        except ValidationError as problem:
            raise BadInput(f"{key}: {in_words(problem)}") from None
        except ValueError as problem:
            raise BadInput(f"{key}: {problem}") from None
        said += words
    projects.keep(project)
    if args.json:
        print(json.dumps({"name": project.name, "said": said}, ensure_ascii=False))
    else:
        print("\n".join([f"{project.name}: {goals_text(project.goals)}", *said]))
    return OK


def _remove(args: argparse.Namespace, projects: Projects) -> int:
    name = projects.named(args.words[0]).name
    where = projects.throw_away(name)
    print(
        json.dumps({"removed": name, "file": str(where)})
        if args.json
        else f"{name} removed; its frames stay, and its file is {where}"
    )
    return OK


def _advise(args: argparse.Namespace, projects: Projects) -> int:
    rig = _rig(args)
    wanted = [projects.named(name) for name in args.projects] if args.projects else projects.all()
    if not wanted:
        raise BadInput('there are no projects yet: vigil project new NAME --target T --goal "Ha 10 h"')
    found, progress = tonight(ledger_of(rig.id), wanted, _rigs(), rig, night_wanted(args.night, rig))
    said: list[str] = []
    if args.plan and found.stints:
        path = Path(args.plan)
        plan = load_document(NightPlan, path) if path.exists() else NightPlan(name=path.stem, blocks=[])
        made, said = into_plan(found, plan, rig, progress)
        save(made, path)
    _tell_advice(args, found, said)
    return OK if found.stints else NOT_ALL


def _tell_advice(args: argparse.Namespace, found: BestUse, said: list[str]) -> None:
    schedule = [
        {
            "project": s.project,
            "target": s.target,
            "filter": s.filter,
            "from": s.begins.isoformat(),
            "until": s.ends.isoformat(),
            "frames": s.frames,
            "exposure_s": s.exposure_s,
            "reason": s.reason,
        }
        for s in found.stints
    ]
    if args.json:
        told = {
            "schedule": schedule,
            "useful_h": round(found.useful_h, 3),
            "useful_h_greedy": round(found.useful_h_greedy, 3),
            "why_not": list(found.why_not),
            "said": said,
        }
        print(json.dumps(told, ensure_ascii=False))
        return
    for s in found.stints:
        span = f"{s.begins:%H:%M}–{s.ends:%H:%M} UTC"
        print(f"{span}  {s.target} {s.filter} {s.frames} × {s.exposure_s:g} s: {s.reason}")
    print(
        f"{found.useful_h:.1f} useful hours (one after the other as they come: {found.useful_h_greedy:.1f})"
    )
    for line in (*found.why_not, *said):
        print(line)


def _subs(args: argparse.Namespace, projects: Projects) -> int:
    rig = _rig(args)
    project = projects.named(args.words[0])
    found = noise_by_filter(ledger_of(rig.id), project, rig)
    told = []
    for one in found:
        advice = advise(one.measured, args.cost / 100)
        told.append(
            {
                "filter": one.filter,
                "exposure_s": one.exposure_s,
                "frames": one.frames,
                "sky_e_s": round(one.measured.light_e_s, 4),
                "read_noise_e": one.measured.read_noise_e,
                "advised_s": round(advice.exposure_s, 1),
                "clips_s": advice.clips_s and round(advice.clips_s, 1),
                "words": advice.words,
            }
        )
    if args.json:
        print(json.dumps({"project": project.name, "filters": told}, ensure_ascii=False))
    else:
        lines = [f"{t['filter'] or 'no filter'}, now {t['exposure_s']:g} s: {t['words']}" for t in told]
        print("\n".join(lines) or f"{project.name} has no kept lights of {rig.name} yet: nothing is measured")
    return OK if found else NOT_ALL


_ACTIONS = {
    "list": _list,
    "show": _show,
    "new": _new,
    "set": _set,
    "remove": _remove,
    "advise": _advise,
    "subs": _subs,
}
