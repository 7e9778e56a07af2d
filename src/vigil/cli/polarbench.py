"""`vigil polar measure`, `watch`, `place`, `back` and `log`: the polar bench."""

import argparse
import json
import sys
from datetime import datetime
from functools import partial
from typing import Any
from zoneinfo import ZoneInfo

from vigil.cli import BAD_INPUT, NOT_ALL, OK, BadInput
from vigil.cli.bencherrands import Order, alone_wanted, carry_out
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.cli.ledgers import ledger_of
from vigil.documents.errands import Outcome
from vigil.documents.events import Event, Kind
from vigil.documents.polar import (
    AXIS_KIND,
    BACK_KIND,
    DRIFT,
    DRIFT_KIND,
    PLACE_KIND,
    TURNING,
    TURNING_KIND,
    PolarRecord,
    record_said,
)
from vigil.documents.rig import Rig
from vigil.ledger.store import LedgerStore

_FRAMES = {"camera": "camera", "exposure": "exposure_s", "binning": "binning", "filter": "filter"}
_GIVEN = {
    AXIS_KIND: {**_FRAMES, "turn": "turn_deg", "way": "way", "frames": "frames", "rate": "rate_deg_s"},
    TURNING_KIND: {**_FRAMES, "frames": "frames"},
    DRIFT_KIND: {"axis": "axis", "within": "within_arcmin", "exposure": "exposure_s", "turned": "turned"},
    PLACE_KIND: {"axis": "axis"},
    BACK_KIND: dict[str, str](),
}
_STREAMS = {TURNING_KIND: TURNING, DRIFT_KIND: DRIFT}
_FRAMES_ALONE = 10
"""Without a keeper time doesn't pass by itself: watching has an end."""


def on_the_polar_bench(args: argparse.Namespace) -> int:
    """0 done, 2 bad input or refused to begin, 3 not done, with the reason."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    if args.action == "log":
        return _log(rig, args.json)
    kind = _kind(args)
    values = _values(args, kind)
    before: tuple[tuple[str, dict[str, Any]], ...] = ()
    if alone_wanted(rig, args):
        if kind in (AXIS_KIND, DRIFT_KIND):
            values["goes"] = True  # it was set up somewhere under stars
        if kind == TURNING_KIND:
            values.setdefault("frames", _FRAMES_ALONE)
            camera = {"camera": values["camera"]} if "camera" in values else {}
            before = ((AXIS_KIND, {"goes": True, **camera}),)
    look = partial(_tell_sample, args.json)
    order = Order(kind, values, partial(_tell, args.json), look, _STREAMS.get(kind, ""), before=before)
    ended = carry_out(rig, order, args)
    if ended is None:
        return BAD_INPUT
    done = ended.values["outcome"] == Outcome.DONE.value
    if args.json:
        print(json.dumps({"done": done, "reason": ended.reason, **_told(ended)}, ensure_ascii=False))
    return OK if done else NOT_ALL


def _kind(args: argparse.Namespace) -> str:
    by_drift = args.method == "drift"
    if by_drift and args.axis is None:
        raise BadInput("measure by drift: which axis? --axis azimuth, or --axis altitude")
    if args.action == "measure":
        return DRIFT_KIND if by_drift else AXIS_KIND
    return {"watch": TURNING_KIND, "place": PLACE_KIND, "back": BACK_KIND}[args.action]


def _values(args: argparse.Namespace, kind: str) -> dict[str, Any]:
    """What the errand is begun with. Raises BadInput for what doesn't go with it."""
    mine = _GIVEN[kind]
    others = {name for given in _GIVEN.values() for name in given} - mine.keys()
    for name in sorted(others):
        if getattr(args, name) is not None:
            raise BadInput(f"--{name} doesn't go with {args.action} here")
    found = {wanted: getattr(args, name) for name, wanted in mine.items()}
    if args.goes:
        if kind not in (AXIS_KIND, DRIFT_KIND):
            raise BadInput(f"--go doesn't go with {args.action} here")
        found["goes"] = True
    if args.star is not None:
        if kind != TURNING_KIND:
            raise BadInput(f"--star doesn't go with {args.action} here")
        found["x"], found["y"] = args.star
    return {name: value for name, value in found.items() if value is not None}


def _told(ended: Event) -> dict[str, Any]:
    """The end's numbers, a measurement's under the names that `vigil polar solve` has for them."""
    numbers = {k: v for k, v in ended.values.items() if k not in ("outcome", "took_s", "polar")}
    record = ended.values.get("polar")
    if record is None:
        return numbers
    return {
        **numbers,
        "altitude_error_arcmin": record["altitude_arcmin"],
        "azimuth_error_arcmin": record["azimuth_arcmin"],
        "total_arcmin": record["total_arcmin"],
        "sigma_arcmin": {
            "altitude": record["sigma_altitude_arcmin"],
            "azimuth": record["sigma_azimuth_arcmin"],
        },
        "refracted": {
            "altitude_error_arcmin": record["refracted_altitude_arcmin"],
            "azimuth_error_arcmin": record["azimuth_arcmin"],
        },
        **{name: record[name] for name in ("turns_deg", "method", "camera", "took_s", "frames", "notes")},
    }


def _tell(as_json: bool, event: Event) -> None:
    if as_json:
        if event.kind is not Kind.ERRAND_ENDED:
            told = {"kind": event.kind.value, "reason": event.reason, **event.values}
            print(json.dumps(told, ensure_ascii=False), flush=True)
        return
    if "polar" in event.values and event.kind is not Kind.ERRAND_ENDED:
        return  # its end says the same
    bad = event.kind is Kind.ERRAND_ENDED and event.values["outcome"] != Outcome.DONE.value
    print(event.reason, file=sys.stderr if bad else sys.stdout, flush=True)


def _tell_sample(as_json: bool, row: dict[str, Any]) -> None:
    if as_json:
        told = {k: v for k, v in row.items() if k != "image"}
        print(json.dumps(told, ensure_ascii=False), flush=True)
    elif "altitude_arcmin" in row:
        said = f"altitude {row['altitude_arcmin']:+.1f}′, azimuth {row['azimuth_arcmin']:+.1f}′"
        away = f", the star is {row['away_arcmin']:.1f}′ from its mark" if "away_arcmin" in row else ""
        print(said + away, flush=True)
    elif row.get("reason"):
        print(row["reason"], flush=True)
    elif row.get("words"):
        print(row["words"], flush=True)


def _log(rig: Rig, as_json: bool) -> int:
    path = ledger_of(rig.id)
    records: list[dict[str, Any]] = []
    if path.exists():
        store = LedgerStore(path)
        try:
            records = list(reversed(store.polar_records(rig.id)))
        finally:
            store.close()
    for told in records:
        if as_json:
            print(json.dumps(told, ensure_ascii=False))
            continue
        record = PolarRecord.model_validate(told)
        when = _local(record.at, rig)
        print(f"{when:%Y-%m-%d %H:%M}  {record.method}: {record_said(record)} (in {record.took_s:.0f} s)")
    if not records and not as_json:
        print(f"no measurement of {rig.name}'s polar axis is on record")
    return OK


def _local(at: datetime, rig: Rig) -> datetime:
    return at.astimezone(ZoneInfo(rig.site.time_zone))
