"""Options that several commands have."""

import argparse

from vigil.cli.grammar.numbers import number


def plan_and_rig(parser: argparse.ArgumentParser, plan_help: str) -> None:
    """A plan file and the rig that it is for, or the demo's."""
    parser.add_argument("plan", nargs="?", metavar="PLAN", help=plan_help)
    parser.add_argument("--rig", metavar="RIG", help="rig (JSON)")
    parser.add_argument("--demo", action="store_true", help="the made-up observatory that ships with Vigil")
    parser.add_argument("--fit", action="store_true", help="leave out of the plan what the rig lacks")


def whose_night(parser: argparse.ArgumentParser) -> None:
    """Whose sky and which evening."""
    parser.add_argument("--rig", metavar="RIG", help="a rig's name or its file; the demo's where not given")
    parser.add_argument("--night", metavar="DATE", help="the evening's date, as 2027-01-12; else the next")


def scenario(parser: argparse.ArgumentParser) -> None:
    """What really is, for simulated rigs."""
    parser.add_argument(
        "--scenario", metavar="SCENARIO", help="simulated rigs: what really is; a name or a file"
    )


def one_line(parser: argparse.ArgumentParser) -> None:
    """A night in one line, without a plan file."""
    parser.add_argument(
        "--target", metavar='NAME|"RA DEC"', help="a night without a plan file: what to point at"
    )
    parser.add_argument("--lines", metavar="LINES", help='with --target: "Ha 300 s x 12; L 60 s x 20"')
    parser.add_argument("--yes", action="store_true", help="with --target: don't ask first")
    parser.add_argument(
        "--allow-programs", action="store_true", help="the plan's programs may be run, now and later"
    )


def truth(parser: argparse.ArgumentParser) -> None:
    """What really was, for simulated rigs."""
    parser.add_argument("--truth", metavar="FILE", help="simulated rigs: what really was, as CSV")


def pace(parser: argparse.ArgumentParser) -> None:
    """How fast simulated time runs."""
    pace = parser.add_mutually_exclusive_group()
    pace.add_argument("--virtual", action="store_true", help="simulated rigs: as fast as pixels can be made")
    pace.add_argument(
        "--speed",
        type=number(1, 1000),
        default=1.0,
        metavar="N",
        help="simulated rigs: so many times real time (1)",
    )


def begins_at(parser: argparse.ArgumentParser) -> None:
    """When simulated time begins."""
    parser.add_argument(
        "--at", metavar="TIME", help="simulated rigs: when it is, UTC, as 2027-01-13T11:00; else the evening"
    )


def as_json(parser: argparse.ArgumentParser, words: str) -> None:
    """Output for programs."""
    parser.add_argument("--json", action="store_true", help=f"for programs: {words}")
