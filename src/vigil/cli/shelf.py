"""`vigil shelf`: framed targets kept for any night."""

import argparse
import json
from pathlib import Path

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.cli.ledgers import ledger_of
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.shelf import Framed, Shelf
from vigil.documents.store import save
from vigil.files.atomic import write_bytes
from vigil.files.trouble import why
from vigil.ledger.counts import frames_taken
from vigil.planning.framing import blocks_of, field_of_framed
from vigil.planning.offer import field_of
from vigil.planning.shelfcsv import ColumnsUnclear, from_csv, to_csv
from vigil.runtime.folders import shelf_file
from vigil.sky.angles import format_dec, format_ra


def run(args: argparse.Namespace) -> int:
    """0 done, 3 rows of a list were left out."""
    action, words = args.action, args.words
    if action in ("list", "show"):
        return _list(load_shelf(), args.json)
    if len(words) != (2 if action == "plan" else 1):
        needs = {"plan": "NAME PLAN", "delete": "NAME"}.get(action, "FILE")
        raise BadInput(f"vigil shelf {action} needs {needs}")
    if action == "delete":
        shelf = load_shelf()
        save_shelf(shelf.without(_named(shelf, words[0]).id))
        return OK
    if action == "export":
        folder = Path(words[0]).absolute().parent
        if not folder.is_dir():
            raise BadInput(f"{folder}: there is no such folder")
        write_bytes(Path(words[0]), to_csv(load_shelf()).encode())
        return OK
    if action == "import":
        return _import(Path(words[0]), args)
    return _plan(words[0], Path(words[1]), args)


def load_shelf() -> Shelf:
    """What is on the shelf; empty when there is no file yet. Raises BadInput."""
    path = shelf_file()
    return load_document(Shelf, path) if path.exists() else Shelf()


def save_shelf(shelf: Shelf) -> None:
    path = shelf_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    save(shelf, path)


def keep(framed: Framed) -> None:
    """One more on the shelf, or in place of that of the same name."""
    shelf = load_shelf()
    there = shelf.named(framed.name)
    own_id = there.id if there else shelf.unused_id(framed.name)
    save_shelf(shelf.with_framed(framed.model_copy(update={"id": own_id})))


def _named(shelf: Shelf, name: str) -> Framed:
    found = shelf.named(name)
    if found is None:
        have = ", ".join(f.name for f in shelf.framed) or "nothing"
        raise BadInput(f"{name!r} is not on the shelf; it has {have}")
    return found


def _list(shelf: Shelf, as_json: bool) -> int:
    if as_json:
        print(json.dumps({"framed": shelf.model_dump(mode="json")["framed"]}))
        return OK
    for f in shelf.framed:
        g = f.framing
        panels = f", {g.columns} × {g.rows} panels" if g.count > 1 else ""
        tags = f"  [{', '.join(f.tags)}]" if f.tags else ""
        place = f"{format_ra(g.ra_deg)} {format_dec(g.dec_deg)}, {g.position_angle_deg:.1f}°"
        print(f"{f.name}: {place}{panels}{tags}")
    if not shelf.framed:
        print("the shelf is empty: vigil frame TARGET --keep puts a framed target on it")
    return OK


def _import(path: Path, args: argparse.Namespace) -> int:
    try:
        text = path.read_text(encoding="utf-8-sig")
    except (OSError, UnicodeDecodeError) as problem:
        raise BadInput(f"{path}: {why(problem)}") from None
    columns = {}
    for pair in args.column or ():
        ours, equals, theirs = pair.partition("=")
        if not equals:
            raise BadInput(f"--column {pair!r}: write OURS=THEIRS, as ra_deg=RightAsc")
        columns[ours] = theirs
    shelf = load_shelf()
    try:
        read = from_csv(text, shelf.unused_id, columns)
    except ColumnsUnclear as problem:
        raise BadInput(f"{path}: {problem}: --column {problem.missing[-1]}=COLUMN") from None
    except ValueError as problem:
        raise BadInput(f"{path}: {problem}") from None
    for framed in read.framed:
        shelf = shelf.with_framed(framed)
    if read.framed:
        save_shelf(shelf)
    if args.json:
        told = {"kept": len(read.framed), "left_out": list(read.left_out), "doubts": list(read.doubts)}
        print(json.dumps(told))
    else:
        print(f"{len(read.framed)} put on the shelf")
        for line in (*(f"left out: {x}" for x in read.left_out), *(f"doubtful: {x}" for x in read.doubts)):
            print(line)
    return NOT_ALL if read.left_out else OK


def _plan(name: str, path: Path, args: argparse.Namespace) -> int:
    """Put what is still to be taken of a framed target into a plan, a block a panel."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    framed = _named(load_shelf(), name)
    plan = load_document(NightPlan, path) if path.exists() else NightPlan(name=framed.name, blocks=[])
    taken = frames_taken(ledger_of(rig.id), rig.id)
    otherwise = plan.blocks[-1].lines if plan.blocks else []
    blocks = blocks_of(
        framed,
        field_of_framed(framed, field_of(rig)),
        {block.id for block in plan.blocks},
        taken=lambda target, filter_name: taken.get((target, filter_name), 0),
        otherwise=otherwise,
    )
    if not blocks:
        if framed.lines or otherwise:
            raise BadInput(f"{framed.name}: every panel is done")
        raise BadInput(f"{framed.name} has no exposure lines: vigil frame … --lines gives it some")
    save(plan.model_copy(update={"blocks": [*plan.blocks, *blocks]}), path)
    print(
        json.dumps({"blocks": [b.id for b in blocks]})
        if args.json
        else f"{len(blocks)} blocks added to {path}"
    )
    return OK
