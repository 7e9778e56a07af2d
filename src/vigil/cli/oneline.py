"""A night given on one command line, without a plan file."""

import argparse
import sys
from datetime import UTC, datetime

from vigil.cli import BadInput
from vigil.cli.frame import target_wanted
from vigil.documents.ids import stem_of
from vigil.documents.plan import Block, NightPlan, Target, contradictions
from vigil.documents.rig import Rig
from vigil.planning.forecast import forecast
from vigil.planning.shelfcsv import parse_lines


def plan_of_one_line(args: argparse.Namespace, rig: Rig) -> NightPlan:
    """The plan of --target and --lines, agreed to by the user or by --yes. Raises BadInput."""
    if not args.lines:
        raise BadInput('--target needs --lines as well: --lines "Ha 300 s x 12"')
    at = rig.simulated.starts_at if rig.simulated else datetime.now(UTC)
    name, ra, dec, _ = target_wanted(args.target, at)
    try:
        lines = parse_lines(args.lines, rig)
    except ValueError as problem:
        raise BadInput(f"--lines: {problem}") from None
    block = Block(id=stem_of(name), target=Target(name=name, ra_deg=ra, dec_deg=dec), lines=lines)
    plan = NightPlan(name=name, blocks=[block])
    if wrong := contradictions(plan, rig):
        raise BadInput("; ".join(wrong))
    _agree(args, plan, rig, at)
    return plan


def _agree(args: argparse.Namespace, plan: NightPlan, rig: Rig, at: datetime) -> None:
    """Say what the night comes to, and ask, unless --yes was said."""
    ahead = forecast(plan, rig, at)
    minutes = sum(line.count * line.exposure_s for b in plan.blocks for line in b.lines) / 60
    words = f"{plan.name}: {plan.wanted} frames, {minutes:.0f} min of exposure; {ahead.frames} fit tonight"
    print(f"vigil: {words}", file=sys.stderr)
    if args.yes:
        return
    if not sys.stdin.isatty():
        raise BadInput("say --yes to start it: there is nobody to ask")
    print("Start it? [y/N] ", end="", file=sys.stderr, flush=True)
    if sys.stdin.readline().strip().casefold() not in ("y", "yes"):
        raise BadInput("not started")
