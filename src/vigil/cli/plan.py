"""`vigil plan`: a plan to read, and what is wrong with it."""

import argparse
import json
import sys
from datetime import datetime, time
from statistics import median
from typing import Any

from vigil.cli import BAD_INPUT, NOT_ALL, OK, BadInput
from vigil.cli.files import (
    EXAMPLE_RIGS,
    demo_file,
    evening_wanted,
    load_document,
    my_plans,
    plan_path,
    read_value,
    rig_path,
)
from vigil.cli.grammar.plans import PLAN_ACTIONS
from vigil.cli.ledgers import ledger_of
from vigil.documents.namedfiles import NotThere
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.rig import Rig
from vigil.documents.rig.change import Path as FieldPath
from vigil.documents.rig.change import path_of, with_value
from vigil.documents.store import DocumentError, dump, save
from vigil.files.calibrationframes import calibration_frames
from vigil.ledger.store import LedgerStore
from vigil.planning.dithercost import dithers
from vigil.planning.forecast import Forecast, forecast
from vigil.planning.overheads import Overheads, overheads_of
from vigil.planning.planmuster import Around, plan_muster
from vigil.planning.plantext import plan_text
from vigil.planning.revision import changes
from vigil.runtime.folders import calibration_folder, data_folder, free_for_frames, from_home


def run(args: argparse.Namespace) -> int:
    """0 well, 2 bad input, or a plan that the rig can't do; `check` 3 where not all of it fits."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    usage = PLAN_ACTIONS[args.action].split()
    needed = sum(1 for word in usage if not word.startswith("["))
    if not needed <= len(args.words) <= len(usage):
        raise BadInput(f"write `vigil plan {args.action} {PLAN_ACTIONS[args.action]}`".rstrip())
    try:
        if args.action in _WORK:
            return _WORK[args.action](args, rig)
    except (DocumentError, NotThere) as problem:
        raise BadInput(str(problem)) from None
    except KeyError as problem:
        raise BadInput(str(problem.args[0])) from None
    return _read(args, rig)


def _read(args: argparse.Namespace, rig: Rig) -> int:
    plan = load_document(NightPlan, plan_path(args.words[0], rig) if args.words else demo_file("plan.json"))
    wrong = contradictions(plan, rig)
    takes, guide_rms_arcsec = _last_night(rig)
    ahead = None if wrong else forecast(plan, rig, _evening(args.date, rig), overheads=takes)
    if args.action == "text":
        print(plan_text(plan, rig, ahead, args.markdown))
        return OK
    if args.action == "show":
        told = {"plan": dump(plan), "wrong": wrong, **(_ahead(ahead) if ahead else {})}
        print(json.dumps(told, ensure_ascii=False) if args.json else plan_text(plan, rig, ahead))
        return OK
    folder = calibration_folder(rig.id)
    around = Around(
        ahead,
        free_for_frames(rig.frames.folder, rig.id),
        None,
        calibration_frames(folder),
        from_home(folder),
        takes,
        guide_rms_arcsec,
    )
    found = plan_muster(plan, rig, around)
    if args.json:
        told = [{"path": list(f.path), "words": f.words, "doubt": f.doubt} for f in found]
        print(json.dumps({"ok": not wrong, "wrong": wrong, "findings": told}, ensure_ascii=False))
    else:
        for words in wrong:
            print(f"vigil: {words}", file=sys.stderr)
        for finding in found:
            if finding.doubt:
                print(finding.words)
        if ahead is not None and not ahead.lost:
            print(f"{plan.name}: all of its {plan.wanted} frames fit")
    return BAD_INPUT if wrong else NOT_ALL if ahead is not None and ahead.lost else OK


def _list(args: argparse.Namespace, rig: Rig) -> int:
    """The plan on the window's desk first, then the others that the rig has."""
    kept = my_plans(rig)
    desk = data_folder(rig.id) / "plan.json"
    plans = [load_document(NightPlan, desk)] if desk.exists() else []
    here = {plan.name.casefold() for plan in plans}
    plans += [plan for plan in kept.all() if plan.name.casefold() not in here]
    if args.json:
        told = [
            {"name": p.name, "targets": [b.target.name for b in p.blocks], "frames": p.wanted} for p in plans
        ]
        print(json.dumps({"plans": told, "broken": kept.broken()}, ensure_ascii=False))
        return OK
    for n, plan in enumerate(plans):
        targets = ", ".join(block.target.name for block in plan.blocks) or "no target"
        print(f"{plan.name}: {targets}; {plan.wanted} frames{' (on the desk)' if n < len(here) else ''}")
    for problem in kept.broken():
        print(f"vigil: {problem}", file=sys.stderr)
    return OK


def _keep(args: argparse.Namespace, rig: Rig) -> int:
    plan = load_document(NightPlan, plan_path(args.words[0], rig))
    if len(args.words) > 1:
        plan = plan.model_copy(update={"name": args.words[1]})
    path = my_plans(rig).keep(plan)
    print(json.dumps({"path": str(path)}) if args.json else f"“{plan.name}” is kept as {path}")
    return OK


def _set(args: argparse.Namespace, rig: Rig) -> int:
    path = plan_path(args.words[0], rig)
    plan = load_document(NightPlan, path)
    changed = with_value(plan, _place(plan, args.words[1]), read_value(args.words[2]))
    said = "; ".join(changes(plan, changed)) or "nothing changed"
    save(changed, path)
    print(json.dumps({"changed": said}, ensure_ascii=False) if args.json else said)
    return OK


def _delete(args: argparse.Namespace, rig: Rig) -> int:
    path = my_plans(rig).throw_away(args.words[0])
    print(json.dumps({"path": str(path)}) if args.json else f"deleted; its file is {path}")
    return OK


def _place(plan: NightPlan, text: str) -> FieldPath:
    """A field's path; blocks, lines and steps by their ids or numbers. Raises KeyError."""
    here: Any = plan.model_dump(mode="json")
    path: list[str | int] = []
    for piece in path_of(text):
        if isinstance(here, list) and isinstance(piece, str):
            ids = [str(entry.get("id") or entry.get("name")) for entry in here]
            if piece not in ids:
                raise KeyError(f"{text}: there is no {piece!r}; there are {', '.join(ids) or 'none'}")
            piece = ids.index(piece)
        path.append(piece)
        try:
            here = here[piece]
        except (KeyError, IndexError, TypeError):
            here = None
    return tuple(path)


_WORK = {"list": _list, "keep": _keep, "set": _set, "delete": _delete}


def _last_night(rig: Rig) -> tuple[Overheads | None, float | None]:
    """How long things took in the rig's last night, and the median rms of its guiding."""
    path = ledger_of(rig.id)
    if not path.exists():
        return None, None
    store = LedgerStore(path)
    try:
        night = store.last_night(rig.id)
        if night is None:
            return None, None
        guided = [f["guide_rms_arcsec"] for f in store.frames(night) if f["guide_rms_arcsec"] is not None]
        return overheads_of(store.events(night), rig), median(guided) if guided else None
    finally:
        store.close()


def _evening(date: str | None, rig: Rig) -> datetime:
    from datetime import UTC
    from zoneinfo import ZoneInfo

    if date is None:
        return rig.simulated.starts_at if rig.simulated else datetime.now(UTC)
    return datetime.combine(evening_wanted("--date", date), time(14), ZoneInfo(rig.site.time_zone))


def _ahead(ahead: Forecast) -> dict[str, Any]:
    count, spent_s = dithers(ahead)
    return {
        "begins": ahead.begins.isoformat() if ahead.begins else None,
        "ends": ahead.ends.isoformat() if ahead.ends else None,
        "frames": ahead.frames,
        "dithers": {"count": count, "minutes": round(spent_s / 60, 1)},
        "lines": [{"line": x.line, "wanted": x.wanted, "fitting": x.fitting} for x in ahead.lines],
        "steps": [
            {
                "kind": s.kind,
                "block": s.block,
                "line": s.line,
                "begins": s.begins.isoformat(),
                "ends": s.ends.isoformat(),
            }
            for s in ahead.steps
        ],
    }
