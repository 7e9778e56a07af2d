"""`vigil focus`: star sizes against focuser positions."""

import argparse
import csv
import json
import sys
from datetime import datetime
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.cli.ledgers import ledger_of
from vigil.cli.rigchange import keep_changed
from vigil.documents.rig import Rig
from vigil.documents.rig.focusvalues import with_slope
from vigil.files.focuscsv import BadTable, read_points
from vigil.focusing.history import Estimate, History, NoHistory, learn
from vigil.focusing.verdict import Verdict, judge
from vigil.ledger.store import FocusRow, LedgerStore
from vigil.planning.focuslog import runs_to_learn_from

_COLUMNS = (
    "ended_at", "errand", "filter", "accepted", "position", "interval_low", "interval_high", "size_px",
    "temperature_c", "frames", "seconds", "reason",
)  # fmt: skip


def run(args: argparse.Namespace) -> int:
    """0 accepted, 3 refused."""
    if args.action == "fit":
        return _fit(args)
    if args.file is not None:
        raise BadInput(f"{args.action}: {args.file!r} is one word too many")
    if args.action in ("log", "learn"):
        return _log(args) if args.action == "log" else _learn(args)
    from vigil.cli.focusbench import on_the_focus_bench

    return on_the_focus_bench(args)


def _fit(args: argparse.Namespace) -> int:
    if args.file is None:
        raise BadInput("fit: which file? A CSV with the columns position,size[,scatter]")
    try:
        verdict = judge(read_points(Path(args.file)))
    except BadTable as problem:
        raise BadInput(str(problem)) from None
    print(json.dumps(summary(verdict)) if args.json else in_words(verdict))
    return OK if verdict.accepted else NOT_ALL


def summary(verdict: Verdict) -> dict[str, Any]:
    """A verdict as plain values."""
    curve = verdict.curve
    return {
        "accepted": verdict.accepted,
        "reason": verdict.reason,
        "best_position": None if curve is None else round(curve.best, 3),
        "interval_95": None if curve is None else [round(end, 3) for end in curve.interval],
        "best_size": None if curve is None else round(curve.best_size, 4),
        "residual": None if curve is None else round(curve.residual, 5),
        "left_out": [] if curve is None else list(curve.left_out),
    }


def in_words(verdict: Verdict) -> str:
    """The same for people."""
    return f"{'accepted' if verdict.accepted else 'refused'}: {verdict.reason}"


# -- the log ---------------------------------------------------------------------------------------------


def _rows(rig: Rig, through: str | None) -> list[FocusRow]:
    """Oldest first."""
    path = ledger_of(rig.id)
    if not path.exists():
        return []
    store = LedgerStore(path)
    try:
        rows = store.focus_runs(rig.id)
    finally:
        store.close()
    return [row for row in reversed(rows) if through is None or row.filter == through]


def _log(args: argparse.Namespace) -> int:
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    rows = _rows(rig, args.filter)
    if args.csv:
        table = csv.writer(sys.stdout, lineterminator="\n")
        table.writerow(_COLUMNS)
        table.writerows([_told(row)[name] for name in _COLUMNS] for row in rows)
        return OK
    for row in rows:
        if args.json:
            print(json.dumps({**_told(row), "figures": row.figures}, ensure_ascii=False))
            continue
        when = datetime.fromisoformat(row.ended_at).astimezone(ZoneInfo(rig.site.time_zone))
        warmth = row.figures.get("temperature_c")
        beside = "" if warmth is None else f", {warmth:.1f} °C"
        how = "accepted" if row.accepted else "refused"
        said = row.figures.get("reason", "")
        print(f"{when:%Y-%m-%d %H:%M}  {row.filter or 'no filter'}{beside}  {how}: {said}")
    if not rows and not args.json:
        print(f"no focus run of {rig.name} is on record")
    return OK


def _told(row: FocusRow) -> dict[str, Any]:
    figures = row.figures
    low, high = figures.get("interval_95") or (None, None)
    return {
        "ended_at": row.ended_at,
        "errand": row.errand,
        "filter": row.filter,
        "accepted": row.accepted,
        "position": figures.get("position"),
        "interval_low": low,
        "interval_high": high,
        **{name: figures.get(name) for name in ("size_px", "temperature_c", "frames", "seconds", "reason")},
    }


def _learn(args: argparse.Namespace) -> int:
    """The temperature model and the filters' offsets out of the log; 3 where it doesn't support a slope."""
    path = rig_path(args.rig or EXAMPLE_RIGS[0])
    rig = load_document(Rig, path)
    runs = runs_to_learn_from([row.figures for row in _rows(rig, args.filter) if row.accepted])
    reference = "" if rig.wheel is None else rig.wheel.current.reference or rig.wheel.focus_through
    try:
        history = learn(runs, reference)
    except NoHistory as problem:
        print(json.dumps({"reason": str(problem)}) if args.json else str(problem))
        return NOT_ALL
    print(json.dumps(_history(history)) if args.json else _history_in_words(history, len(runs)))
    if history.slope is None:
        return NOT_ALL
    if args.take_over:
        keep_changed(with_slope(rig, history.slope.value, history.slope.half, history.scatter), path)
        print(f"{rig.id}: {history.slope.value:+.2f} steps for each °C", file=sys.stderr)
    return OK


def _history(history: History) -> dict[str, Any]:
    return {
        "steps_per_c": _estimate(history.slope),
        "reason": history.why_no_slope,
        "offsets": {name: _estimate(found) for name, found in history.offsets.items()},
        "scatter_steps": round(history.scatter, 2),
        "left_out": list(history.left_out),
    }


def _estimate(found: Estimate | None) -> dict[str, Any] | None:
    if found is None:
        return None
    return {"value": round(found.value, 3), "interval_95": [round(end, 3) for end in found.interval]}


def _history_in_words(history: History, count: int) -> str:
    lines = [
        f"{history.slope.value:+.2f} ± {history.slope.half:.2f} steps for each °C, by {count} runs"
        if history.slope
        else f"no temperature model: {history.why_no_slope}"
    ]
    lines += [
        f"{name or 'no filter'}: {e.value:+.1f} ± {e.half:.1f} steps" for name, e in history.offsets.items()
    ]
    return "\n".join([*lines, f"runs scatter {history.scatter:.1f} steps about it"])
