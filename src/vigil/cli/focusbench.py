"""`vigil focus run|find|near|offsets|backlash`: the focus bench's errands, by a keeper or without one."""

import argparse
import json
import sys
from functools import partial
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NOT_ALL, OK, BadInput
from vigil.cli.bencherrands import Order, alone_wanted, carry_out
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.cli.rigchange import take_over
from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.focusruns import NEAR
from vigil.documents.rig import Rig
from vigil.documents.rig.focusvalues import with_backlash, with_offsets

_KINDS = {
    "run": "focus",
    "find": "find focus",
    "offsets": "filter offsets",
    "backlash": "backlash",
    "near": "getting near",
}
_NOT_TOLD = ("cutout", "profile")
_LOOKS_ALONE = 10
"""Without a keeper time doesn't pass by itself: a loop has an end."""


def on_the_focus_bench(args: argparse.Namespace) -> int:
    """0 accepted, 2 bad input or refused to begin, 3 refused by what was measured."""
    path = rig_path(args.rig or EXAMPLE_RIGS[0])
    rig = load_document(Rig, path)
    kind, values = _KINDS[args.action], _values(args)
    if args.action == "near" and alone_wanted(rig, args):
        values = {"frames": _LOOKS_ALONE, **values}
    ended = carry_out(
        rig, Order(kind, values, partial(_tell, args.json), partial(_tell_look, args.json), NEAR), args
    )
    if ended is None:
        return BAD_INPUT
    if args.json:
        print(json.dumps(_summary(ended), ensure_ascii=False))
    done = ended.values["outcome"] == Outcome.DONE.value
    if done and args.take_over:
        _take_over(rig, path, ended.values)
    return OK if done else NOT_ALL


def _values(args: argparse.Namespace) -> dict[str, Any]:
    """What the errand is begun with."""
    by_action = {
        "run": ("filter", "start", "step", "reach", "frames", "exposure", "finer", "by", "keep", "elsewhere"),
        "find": ("filter", "start", "frames", "exposure", "elsewhere"),
        "offsets": ("filters", "rounds"),
        "backlash": ("filter", "most", "exposure"),
        "near": ("filter", "frames", "exposure", "binning", "guides", "mask", "window"),
    }
    fields, every = by_action[args.action], {name for names in by_action.values() for name in names}
    for name in sorted(every - set(fields)):
        if getattr(args, name) not in (None, False):
            raise BadInput(f"--{name} doesn't go with {args.action}")
    if args.take_over and args.action not in ("offsets", "backlash"):
        raise BadInput("--take-over goes with offsets, backlash and learn")
    given = {name: getattr(args, name) for name in fields if getattr(args, name) not in (None, False)}
    if "exposure" in given:
        given["exposure_s"] = given.pop("exposure")
    if "filters" in given:
        given["filters"] = [name.strip() for name in given["filters"].split(",") if name.strip()]
    return given


def _tell(as_json: bool, event: Event) -> None:
    if as_json:
        if event.kind is not Kind.ERRAND_ENDED:
            values = {k: v for k, v in event.values.items() if k not in _NOT_TOLD}
            print(
                json.dumps({"kind": event.kind.value, "reason": event.reason, **values}, ensure_ascii=False)
            )
    else:
        bad = event.kind is Kind.ERRAND_ENDED and event.values["outcome"] != Outcome.DONE.value
        print(event.reason, file=sys.stderr if bad else sys.stdout, flush=True)


def _tell_look(as_json: bool, looked: dict[str, Any]) -> None:
    """One frame of the loop of getting near."""
    if as_json:
        told = {k: v for k, v in looked.items() if k not in _NOT_TOLD}
        print(json.dumps(told, ensure_ascii=False), flush=True)
        return
    at = "" if looked["position"] is None else f" at {looked['position']}"
    if "size_px" not in looked:
        print(f"{looked['number']}{at}: no star, blur {looked['blur']:.2f}", flush=True)
        return
    arcsec = f" ({looked['size_arcsec']:.1f}″)" if "size_arcsec" in looked else ""
    star = "disc" if looked["disc"] else "star"
    peak = f"peak {100 * looked['peak_share']:.0f} % of full scale{', clipped' * looked['clipped']}"
    spikes = looked.get("mask")
    mask = ""
    if spikes is not None:
        mask = f"; {spikes['reason']}" if "reason" in spikes else f"; spike {spikes['offset_px']:+.1f} px"
    print(f"{looked['number']}{at}: {star} of {looked['size_px']:.2f} px{arcsec}, {peak}{mask}", flush=True)


def _summary(ended: Event) -> dict[str, Any]:
    """The last line for programs."""
    run = ended.values.get("run") or {}
    told = {name: run.get(name) for name in ("position", "interval_95", "size_px", "frames", "seconds")}
    accepted = ended.values["outcome"] == Outcome.DONE.value
    beside = {k: ended.values[k] for k in ("offsets", "reference", "backlash") if k in ended.values}
    return {"accepted": accepted, "reason": ended.reason, **told, **beside}


def _take_over(rig: Rig, path: Path, values: dict[str, Any]) -> None:
    """What was measured becomes the rig's."""
    if "offsets" in values:
        changed = with_offsets(rig, {name: found["steps"] for name, found in values["offsets"].items()})
    else:
        found = values["backlash"]
        changed = with_backlash(rig, 0 if found["none_shows"] else found["steps"])
    take_over(changed, path)
