"""`vigil focus`: star sizes against focuser positions."""

import argparse
import json
from pathlib import Path
from typing import Any

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.files.focuscsv import BadTable, read_points
from vigil.focusing.verdict import Verdict, judge


def run(args: argparse.Namespace) -> int:
    """0 accepted, 3 refused."""
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
