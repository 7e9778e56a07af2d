"""`vigil plan`: a plan to read, and what is wrong with it."""

import argparse
import json
import sys
from datetime import datetime
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, demo_file, load_document, rig_path
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.rig import Rig
from vigil.documents.store import dump
from vigil.ledger.store import LedgerStore
from vigil.planning.forecast import Forecast, forecast
from vigil.planning.overheads import Overheads, overheads_of
from vigil.planning.planmuster import Around, plan_muster
from vigil.planning.plantext import plan_text
from vigil.runtime.folders import data_folder, free_bytes, ledger_file


def run(args: argparse.Namespace) -> int:
    """0 well, 2 bad input, or a plan that the rig can't do."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    plan = load_document(NightPlan, Path(args.plan) if args.plan else demo_file("plan.json"))
    wrong = contradictions(plan, rig)
    ahead = None if wrong else forecast(plan, rig, _evening(args.date, rig), overheads=_overheads(rig))
    if args.action == "text":
        print(plan_text(plan, rig, ahead, args.markdown))
        return OK
    if args.action == "show":
        told = {"plan": dump(plan), "wrong": wrong, **(_ahead(ahead) if ahead else {})}
        print(json.dumps(told, ensure_ascii=False) if args.json else plan_text(plan, rig, ahead))
        return OK
    found = plan_muster(plan, rig, Around(ahead, _free_bytes(rig)))
    if args.json:
        told = [{"path": list(f.path), "words": f.words, "doubt": f.doubt} for f in found]
        print(json.dumps({"ok": not wrong, "wrong": wrong, "findings": told}, ensure_ascii=False))
    else:
        for words in wrong:
            print(f"vigil: {words}", file=sys.stderr)
        for finding in found:
            if finding.doubt:
                print(finding.words)
        if not found:
            print(f"{plan.name}: all of its {plan.wanted} frames fit")
    return BAD_INPUT if wrong else OK


def _overheads(rig: Rig) -> Overheads | None:
    """By the rig's last night, if it has had one."""
    path = ledger_file(rig.id)
    if not path.exists():
        return None
    store = LedgerStore(path)
    try:
        night = store.last_night(rig.id)
        return overheads_of(store.events(night), rig) if night else None
    finally:
        store.close()


def _free_bytes(rig: Rig) -> int | None:
    folder = Path(rig.frames.folder).expanduser() if rig.frames.folder else data_folder(rig.id)
    try:
        return free_bytes(folder)
    except OSError:
        return None


def _evening(date: str | None, rig: Rig) -> datetime:
    from datetime import UTC
    from zoneinfo import ZoneInfo

    if date is None:
        return rig.simulated.starts_at if rig.simulated else datetime.now(UTC)
    try:
        return datetime.fromisoformat(f"{date}T14:00").replace(tzinfo=ZoneInfo(rig.site.time_zone))
    except ValueError:
        raise BadInput(f"--date {date!r} is no date; write it as 2027-01-12") from None


def _ahead(ahead: Forecast) -> dict[str, Any]:
    return {
        "begins": ahead.begins.isoformat() if ahead.begins else None,
        "ends": ahead.ends.isoformat() if ahead.ends else None,
        "frames": ahead.frames,
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
