"""`vigil rig`: a rig's numbers, and what is wrong with it."""

import argparse
import json
from dataclasses import asdict
from pathlib import Path

from vigil.cli import NOT_ALL, OK
from vigil.cli.files import demo_file, load_document, own_folders, rig_wanted
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.rig import Rig
from vigil.planning.rignumbers import rig_numbers


def run(args: argparse.Namespace) -> int:
    """0 all well, 2 bad input; `check` 3 when the plan asks for what the rig can't do."""
    rig, path = rig_wanted(args)
    if args.action == "check":
        plan = load_document(NightPlan, Path(args.plan) if args.plan else demo_file("plan.json"))
        wrong = contradictions(plan, rig)
        if args.json:
            print(json.dumps({"rig": str(path), "wrong": wrong}))
        else:
            print("\n".join(wrong) or f"{rig.name}: nothing is wrong")
        return NOT_ALL if wrong else OK
    numbers = rig_numbers(rig, args.seeing, _free_bytes(rig))
    if args.json:
        told = {"rig": rig.model_dump(mode="json"), "numbers": [asdict(number) for number in numbers]}
        print(json.dumps(told, ensure_ascii=False))
        return OK
    print(f"{rig.name}: {rig.telescope.name}, {rig.camera.name}, {rig.mount.name}; {rig.site.name}")
    for number in numbers:
        also = f"  {number.also}" if number.also else ""
        print(f"  {number.name:<20} {number.value:>10.4g} {number.unit:<6}{also:<20} {number.formula}")
    return OK


def _free_bytes(rig: Rig) -> int:
    import shutil

    return shutil.disk_usage(own_folders(rig).data).free
