"""`vigil pattern`: pieces of plans kept to be used again."""

import argparse
import json
import sys
from datetime import UTC, datetime
from pathlib import Path

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, name_wanted, needs, rig_path
from vigil.cli.frame import target_wanted
from vigil.cli.grammar.plans import PATTERN_ACTIONS
from vigil.documents.namedfiles import NotThere
from vigil.documents.pattern import Pattern, Patterns
from vigil.documents.plan import NightPlan, Target
from vigil.documents.rig import Rig
from vigil.documents.store import save
from vigil.planning.patterns import of_block, of_plan, put_into
from vigil.runtime.folders import patterns_folder


def run(args: argparse.Namespace) -> int:
    """0 done, 2 bad input, 3 done but something was left out."""
    wanted = PATTERN_ACTIONS[args.action].split()
    if len(args.words) != len(wanted):
        raise BadInput(needs("pattern", args.action, PATTERN_ACTIONS[args.action]))
    patterns = Patterns(patterns_folder())
    try:
        return _ACTIONS[args.action](args, patterns)
    except NotThere as problem:
        raise BadInput(str(problem)) from None


def _list(args: argparse.Namespace, patterns: Patterns) -> int:
    if args.json:
        told = [{"name": p.name, "of": p.of, "blocks": len(p.blocks)} for p in patterns.all()]
        print(json.dumps({"patterns": told, "broken": patterns.broken()}, ensure_ascii=False))
        return OK
    for pattern in patterns.all():
        lines = ", ".join(line.words for block in pattern.blocks for line in block.lines)
        print(f"{pattern.name} ({pattern.of}): {lines}")
    for problem in patterns.broken():
        print(f"vigil: {problem}", file=sys.stderr)
    return OK


def _keep(args: argparse.Namespace, patterns: Patterns) -> int:
    plan, name = load_document(NightPlan, Path(args.words[0])), name_wanted(args.words[1])
    chosen = args.block or args.lines_of
    if not chosen:
        if not plan.blocks:
            raise BadInput(f"{args.words[0]}: there is no block in it to keep")
        path = patterns.keep(of_plan(plan, name))
    else:
        block = next((b for b in plan.blocks if chosen in (b.id, b.target.name)), None)
        if block is None:
            raise BadInput(f"no block is called {chosen!r}; there are {', '.join(b.id for b in plan.blocks)}")
        path = patterns.keep(of_block(block, name, bool(args.lines_of)))
    print(json.dumps({"path": str(path)}) if args.json else f"kept as {path}")
    return OK


def _apply(args: argparse.Namespace, patterns: Patterns) -> int:
    pattern, path = patterns.named(args.words[0]), Path(args.words[1])
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    plan = load_document(NightPlan, path) if path.exists() else NightPlan(name=pattern.name, blocks=[])
    target = None
    if args.target:
        name, ra, dec, _ = target_wanted(args.target, datetime.now(UTC))
        target = Target(name=name, ra_deg=ra, dec_deg=dec)
    try:
        changed, said = put_into(plan, pattern, rig, target, args.block or "")
    except ValueError as problem:
        raise BadInput(f"{problem}: give --target or --block") from None
    save(changed, path)
    if args.json:
        print(json.dumps({"blocks": [block.id for block in changed.blocks], "left_out": said}))
    else:
        print(f"{path}: {', '.join(block.target.name for block in changed.blocks)}")
        for words in said:
            print(f"vigil: {words}", file=sys.stderr)
    return NOT_ALL if said else OK


def _delete(args: argparse.Namespace, patterns: Patterns) -> int:
    patterns.remove(args.words[0])
    return OK


def _export(args: argparse.Namespace, patterns: Patterns) -> int:
    save(patterns.named(args.words[0]), Path(args.words[1]))
    return OK


def _import(args: argparse.Namespace, patterns: Patterns) -> int:
    path = patterns.keep(load_document(Pattern, Path(args.words[0])))
    print(json.dumps({"path": str(path)}) if args.json else f"kept as {path}")
    return OK


_ACTIONS = {
    "list": _list,
    "keep": _keep,
    "apply": _apply,
    "delete": _delete,
    "export": _export,
    "import": _import,
}
