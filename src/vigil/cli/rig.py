"""`vigil rig`: one's rigs, their numbers, what is wrong with them; changed, compared, exchanged."""

import argparse
import asyncio
import json
import shutil
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path
from typing import Any

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.files import (
    load_document,
    my_rigs,
    name_wanted,
    needs,
    own_folders,
    read_value,
    rig_path,
    rig_wanted,
)
from vigil.cli.grammar.rigs import RIG_ACTIONS
from vigil.cli.rigchange import keep_changed
from vigil.documents.messages import Status
from vigil.documents.plan import NightPlan, contradictions
from vigil.documents.rig import Rig
from vigil.documents.rig.change import brief, differences, path_of, text_of, with_value
from vigil.documents.rig.rigs import RigsError
from vigil.documents.store import DocumentError, save
from vigil.link.attach import keeper_status
from vigil.planning.muster import Finding, Known, muster
from vigil.planning.rignumbers import rig_numbers


def run(args: argparse.Namespace) -> int:
    """0 all well, 2 bad input; `check` 3 when something is wrong, `compare` 3 when they differ."""
    usage = RIG_ACTIONS[args.action].split()
    needed = sum(1 for word in usage if not word.startswith("["))
    if not needed <= len(args.words) <= len(usage):
        raise BadInput(needs("rig", args.action, RIG_ACTIONS[args.action]))
    try:
        return _ACTIONS[args.action](args)
    except (RigsError, DocumentError) as problem:
        raise BadInput(str(problem)) from None
    except KeyError as problem:
        raise BadInput(str(problem.args[0])) from None
    except OSError as problem:
        raise BadInput(f"{problem.filename}: {problem.strerror}") from None


def _say(args: argparse.Namespace, words: str, **values: Any) -> None:
    print(json.dumps(values, ensure_ascii=False) if args.json else words)


def _list(args: argparse.Namespace) -> int:
    entries = my_rigs().entries()
    if args.json:
        told = [
            {
                "id": e.id,
                "name": e.rig.name if e.rig else None,
                "path": str(e.path),
                "example": e.example,
                "problem": e.problem or None,
            }
            for e in entries
        ]
        print(json.dumps(told, ensure_ascii=False))
        return OK
    for entry in entries:
        kind = "example" if entry.example else ""
        print(f"{entry.id:<24} {entry.rig.name if entry.rig else entry.problem:<28} {kind}".rstrip())
    return OK


def _show(args: argparse.Namespace) -> int:
    if args.words:
        args.rig = args.words[0]
    rig, _ = rig_wanted(args)
    numbers = rig_numbers(rig, args.seeing, _free_bytes(rig))
    if args.json:
        told = {"rig": rig.model_dump(mode="json"), "numbers": [asdict(number) for number in numbers]}
        print(json.dumps(told, ensure_ascii=False))
        return OK
    parts = [part.name for part in (rig.telescope, rig.camera, rig.mount) if part is not None]
    print(f"{rig.name}: {', '.join(parts) or 'no parts yet'}; {rig.site.name}")
    for number in numbers:
        also = f"  {number.also}" if number.also else ""
        print(f"  {number.name:<20} {number.value:>10.4g} {number.unit:<8}{also:<20} {number.formula}")
    return OK


def _check(args: argparse.Namespace) -> int:
    rig, path = rig_wanted(args)
    plan = load_document(NightPlan, Path(args.words[0])) if args.words else None
    status = _keeper(rig)
    known = Known(
        at=status.at if status else None,
        ambient_c=args.ambient,
        free_bytes=_free_bytes(rig),
        longest_exposure_s=plan.longest_exposure_s if plan else None,
        reports=status.reports if status else None,
    )
    found = muster(rig, known)
    wrong = contradictions(plan, rig) if plan else []
    if args.json:
        told = {"rig": str(path), "wrong": wrong, "findings": [_plain(f) for f in found]}
        print(json.dumps(told, ensure_ascii=False))
    else:
        for finding in found:
            print(f"{'doubtful' if finding.doubt else 'wrong':<9} {text_of(finding.path)}: {finding.words}")
        for line in wrong:
            print(f"{'plan':<9} {line}")
        if not found and not wrong:
            print(f"{rig.name}: nothing is wrong")
    return NOT_ALL if wrong or any(not f.doubt for f in found) else OK


def _plain(finding: Finding) -> dict[str, Any]:
    remedy = asdict(finding.remedy) if finding.remedy else None
    return {"path": text_of(finding.path), "words": finding.words, "doubt": finding.doubt, "remedy": remedy}


def _compare(args: argparse.Namespace) -> int:
    one, other = (load_document(Rig, rig_path(word)) for word in args.words)
    found = differences(one, other)
    if args.json:
        told = [{"path": text_of(d.path), "words": d.words, "first": d.old, "second": d.new} for d in found]
        print(json.dumps(told, ensure_ascii=False))
    else:
        for difference in found:
            print(f"{difference.words:<44} {brief(difference.old):>24}   {brief(difference.new)}")
        if not found:
            print(f"{one.name} and {other.name} are the same")
    return NOT_ALL if found else OK


def _new(args: argparse.Namespace) -> int:
    made = my_rigs().blank(name_wanted(args.words[0]))
    _say(args, f"{made.id}: an empty rig; `vigil window --rig {made.id}` fills it", id=made.id)
    return OK


def _copy(args: argparse.Namespace) -> int:
    made = my_rigs().copy(load_document(Rig, rig_path(args.words[0])), name_wanted(args.words[1]))
    _say(args, f"{made.id}: {made.name}", id=made.id)
    return OK


def _rename(args: argparse.Namespace) -> int:
    return _change(args, "name", args.words[0])


def _set(args: argparse.Namespace) -> int:
    return _change(args, args.words[0], read_value(args.words[1]))


def _change(args: argparse.Namespace, field: str, value: Any) -> int:
    if not args.rig and not args.demo:
        raise BadInput("which rig is to be changed? Give --rig RIG")
    rig, path = rig_wanted(args)
    changed = with_value(rig, path_of(field), value)
    said = keep_changed(changed, path)
    words = ", ".join(f"{d.words}: {brief(d.old)} → {brief(d.new)}" for d in differences(rig, changed))
    _say(args, "; ".join(x for x in (words or "nothing changed", said) if x), changed=words, keeper=said)
    return OK


def _delete(args: argparse.Namespace) -> int:
    rig_id = args.words[0]
    aside = my_rigs().delete(rig_id)
    _say(args, f"{rig_id} deleted; `vigil rig restore {rig_id}` undoes it", deleted=str(aside))
    return OK


def _restore(args: argparse.Namespace) -> int:
    rig = my_rigs().restore(args.words[0])
    _say(args, f"{rig.name} is back", id=rig.id)
    return OK


def _export(args: argparse.Namespace) -> int:
    rig = load_document(Rig, rig_path(args.words[0]))
    save(rig, Path(args.words[1]))
    _say(args, f"{rig.name} written to {args.words[1]}", path=args.words[1])
    return OK


def _import(args: argparse.Namespace) -> int:
    rig = my_rigs().import_file(Path(args.words[0]))
    _say(args, f"{rig.id}: {rig.name}", id=rig.id)
    return OK


def _keeper(rig: Rig) -> Status | None:
    return asyncio.run(keeper_status(own_folders(rig)))


def _free_bytes(rig: Rig) -> int:
    return shutil.disk_usage(own_folders(rig).data).free


_ACTIONS: dict[str, Callable[[argparse.Namespace], int]] = {
    "list": _list,
    "show": _show,
    "check": _check,
    "compare": _compare,
    "new": _new,
    "copy": _copy,
    "rename": _rename,
    "set": _set,
    "delete": _delete,
    "restore": _restore,
    "export": _export,
    "import": _import,
}
