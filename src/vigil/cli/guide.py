"""`vigil guide`: the guiding bench, and what records say."""

import argparse
import csv
import io
import json
import sys
from collections import Counter
from datetime import datetime
from functools import partial
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.guiding import CALIBRATION, DARK, GUIDE, GUIDING
from vigil.documents.rig import Rig
from vigil.files.atomic import write_bytes
from vigil.files.guidecsv import COLUMNS

_KINDS = {"calibrate": CALIBRATION, "run": GUIDING, "dark": DARK}
_BENCH = ("rig", "scenario", "seed", "at", "truth")
_OPTIONS = {
    "study": ("rig", "take_over"),
    "replay": (
        "exposure",
        *(f"{axis}_{name}" for axis in ("ra", "dec") for name in ("law", "strength", "dead_band_arcsec")),
    ),
    "calibrate": (*_BENCH, "quick", "exposure", "binning", "goes", "side"),
    "run": (*_BENCH, "quick", "exposure", "binning", "frames", "watch", "calibration", "star", "record"),
    "dark": (*_BENCH, "quick", "exposure", "binning", "frames", "covered"),
}
_FRAMES_ALONE = 300
"""Without a keeper time doesn't pass by itself: guiding has an end."""


def run(args: argparse.Namespace) -> int:
    """0 done, 2 bad input or refused to begin, 3 failed with the reason."""
    _fitting(args)
    if args.action in ("study", "replay"):
        if args.file is None:
            raise BadInput(f"{args.action}: which record? A CSV with {','.join(COLUMNS)}")
        from vigil.cli.guiderecords import of_a_record

        return of_a_record(args)
    if args.file is not None:
        raise BadInput(f"{args.action}: {args.file!r} is one word too many")
    return _on_the_bench(args)


def _fitting(args: argparse.Namespace) -> None:
    for name in sorted({option for options in _OPTIONS.values() for option in options}):
        if name not in _OPTIONS[args.action] and getattr(args, name) not in (None, False):
            raise BadInput(f"--{name.replace('_', '-')} doesn't go with {args.action}")


def _on_the_bench(args: argparse.Namespace) -> int:
    from vigil.cli.bencherrands import Order, alone_wanted, carry_out

    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    values, rows = _values(args), list[dict[str, Any]]()
    if args.action == "run" and "frames" not in values and alone_wanted(rig, args):
        values["frames"] = _FRAMES_ALONE

    def look(row: dict[str, Any]) -> None:
        rows.append(row)
        _tell_frame(args.json, row)

    ended = carry_out(rig, Order(_KINDS[args.action], values, partial(_tell, args.json), look, GUIDE), args)
    if ended is None:
        return BAD_INPUT
    done = ended.values["outcome"] == Outcome.DONE.value
    if args.record and rows:
        write_bytes(Path(args.record), table(rows).encode())
    if args.json:
        numbers = {k: v for k, v in ended.values.items() if k not in ("outcome", "took_s")}
        print(json.dumps({"done": done, "reason": ended.reason, **numbers}, ensure_ascii=False))
    return OK if done else NOT_ALL


def _values(args: argparse.Namespace) -> dict[str, Any]:
    """What the errand is begun with."""
    given: dict[str, Any] = {"exposure_s": args.exposure, "binning": args.binning, "frames": args.frames}
    if args.action == "calibrate":
        given |= {"goes": args.goes or args.side is not None or None, "side": args.side}
    elif args.action == "run":
        given |= {"corrects": False if args.watch else None, "calibrate": args.calibration}
        if args.star is not None:
            given["x"], given["y"] = args.star
    else:
        given["covered"] = args.covered or None
    return {name: value for name, value in given.items() if value is not None}


def _tell(as_json: bool, event: Event) -> None:
    if as_json:
        if event.kind is not Kind.ERRAND_ENDED:
            print(
                json.dumps(
                    {"kind": event.kind.value, "reason": event.reason, **event.values}, ensure_ascii=False
                )
            )
        return
    bad = event.kind is Kind.ERRAND_ENDED and event.values["outcome"] != Outcome.DONE.value
    print(event.reason, file=sys.stderr if bad else sys.stdout, flush=True)


def _tell_frame(as_json: bool, row: dict[str, Any]) -> None:
    if as_json:
        print(json.dumps({k: v for k, v in row.items() if k != "star"}, ensure_ascii=False), flush=True)
        return
    mark = f" ({row['mark']})" if "mark" in row else ""
    if "error" not in row:
        print(f"no star{mark}", flush=True)
        return
    (ra, dec), pulses = row["error"], row["pulse_ms"]
    print(
        f"{ra:+.2f}″ {dec:+.2f}″, {pulses[0]:+d} ms {pulses[1]:+d} ms, {row['stars']} stars{mark}", flush=True
    )


def table(rows: list[dict[str, Any]]) -> str:
    """Frames of the stream as a guide record: the longest stretch by the same stars, for places begin at
    nought with others."""
    longest, _ = Counter(row["choice"] for row in rows).most_common(1)[0]
    rows = [row for row in rows if row["choice"] == longest]
    text = io.StringIO()
    made = csv.writer(text, lineterminator="\n")
    made.writerow(COLUMNS)
    began = datetime.fromisoformat(rows[0]["at"])
    for row in rows:
        seconds = (datetime.fromisoformat(row["at"]) - began).total_seconds()
        places = [f"{v:.4f}" for v in row["place"]] if "place" in row else ["", ""]
        rates = [f"{v:.4f}" for v in row["rates"]]
        made.writerow([f"{seconds:.3f}", *places, *row["pulse_ms"], row["snr"], *rates])
    return text.getvalue()
