"""`vigil darks plan|run`: what is wanted, and the keeper's errand, or without one on a simulated rig."""

import argparse
import json
import re
from dataclasses import asdict
from functools import partial
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NOT_ALL, OK, BadInput
from vigil.cli.bencherrands import Order, alone_wanted, carry_out
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.cli.flatsjob import tell
from vigil.documents.errands import Outcome
from vigil.documents.flats import DARKS, DarkSet
from vigil.documents.refusal import in_words
from vigil.documents.rig import Rig
from vigil.files.madeframes import made_frames
from vigil.ledger.framefolders import folders_with_frames
from vigil.levels.matching import Wanted, cover
from vigil.levels.wantedsets import sets_wanted
from vigil.runtime.folders import ledger_file

_SET = re.compile(r"(?:(?P<s>\d+(?:\.\d+)?)\s*s|bias)\s*(?:[x×]\s*(?P<n>\d+))?", re.IGNORECASE)


def run(args: argparse.Namespace) -> int:
    """0 done, or planned, or nothing wanted; 3 not done, or light in them; 2 bad input."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    sets = _sets(args.sets, args.count) if args.sets else _wanted(rig, args.count)
    if args.action == "plan" or not sets:
        planned = _plan(rig, sets)
        print(json.dumps(planned, ensure_ascii=False) if args.json else _in_words(planned))
        return OK
    values: dict[str, Any] = {"sets": [one.model_dump(exclude_defaults=True) for one in sets]}
    if args.dark or alone_wanted(rig, args):
        values["dark"] = True  # nobody is there who could be asked
    out = Path(args.out).absolute() if args.out else None
    order = Order(DARKS, values, partial(tell, args.json), lambda row: None, calibration=out)
    ended = carry_out(rig, order, args)
    if ended is None:
        return BAD_INPUT
    if args.json:
        figures = {k: v for k, v in ended.values.items() if k != "outcome"}
        told = {"outcome": ended.values["outcome"], "reason": ended.reason, **figures}
        print(json.dumps(told, ensure_ascii=False))
    done = ended.values["outcome"] == Outcome.DONE.value
    return OK if done and not ended.values.get("leaks") else NOT_ALL


def _sets(text: str, count: int | None) -> list[DarkSet]:
    """Raises BadInput."""
    found = []
    for part in filter(None, (p.strip() for p in text.split(";"))):
        read = _SET.fullmatch(part)
        if read is None:
            raise BadInput(f'--sets {part!r}: write "300 s x 20", or "bias x 50", with ; between')
        try:
            number = int(read["n"]) if read["n"] else count or 20
            found.append(DarkSet(exposure_s=float(read["s"] or 0), count=number))
        except ValueError as problem:
            raise BadInput(f"--sets {part!r}: {in_words(problem)}") from None
    if not found:
        raise BadInput('--sets is empty: write "300 s x 20; bias x 50"')
    return found


def _wanted(rig: Rig, count: int | None) -> list[DarkSet]:
    """What lights in the rig's folders lack."""
    found = cover(made_frames(folders_with_frames(rig, ledger_file())), Wanted(darks=count or 20))
    return [DarkSet(**asdict(one)) for one in sets_wanted(found)]


def _plan(rig: Rig, sets: list[DarkSet]) -> dict[str, Any]:
    part = rig.camera
    read_s = part.download_of(1) if part else 0.0
    seconds = sum(one.count * (one.exposure_s + read_s) for one in sets)
    told = [one.model_dump() for one in sets]
    return {"sets": told, "frames": sum(one.count for one in sets), "minutes": round(seconds / 60, 1)}


def _in_words(plan: dict[str, Any]) -> str:
    if not plan["sets"]:
        return "nothing is wanted"
    lines = [DarkSet.model_validate(one).words for one in plan["sets"]]
    return "\n".join([*lines, f"{plan['frames']} frames, {plan['minutes']:.0f} min"])
