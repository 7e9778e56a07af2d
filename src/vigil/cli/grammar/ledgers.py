"""The ledger and projects."""

import argparse

from vigil.cli.grammar import options
from vigil.cli.grammar.numbers import number, whole


def add_ledger(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    ledger = commands.add_parser(
        "ledger",
        help="every night and frame there is: list, export, hand over, report, back up",
        description=_LEDGER,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    ledger.add_argument(
        "action",
        choices=[
            "nights", "frames", "trends", "query", "export", "import", "judge", "gather", "report", "backup",
            "restore", "reconcile",
        ],
    )  # fmt: skip
    ledger.add_argument("words", nargs="*", metavar="WORD", help="what the action works on, see above")
    ledger.add_argument("--rig", metavar="RIG", help="a rig's name or its file; else every rig")
    ledger.add_argument("--target", metavar="NAME", help="frames, export, import: of this target")
    ledger.add_argument("--filter", metavar="NAME", help="frames, export: through this filter")
    ledger.add_argument("--evening", metavar="DATE", help="frames, export: of this night, as 2027-01-12")
    ledger.add_argument(
        "--standing", choices=["kept", "doubtful", "rejected"], help="frames, export, gather: only these"
    )
    ledger.add_argument("--most", type=whole(1), metavar="N", help="frames: how many (all)")
    ledger.add_argument("--out", metavar="FILE", help="report: FILE.html, .pdf or .txt; else text here")
    ledger.add_argument("--copy", action="store_true", help="gather: copies; else links to the frames")
    ledger.add_argument("--naming", metavar="PATTERN", help="gather: names, as {target}/{filter}/{number}")
    ledger.add_argument(
        "--near", type=number(above=0, most=180), default=3.0, metavar="DEG", help="import: solve within (3)"
    )
    ledger.add_argument("--dry-run", action="store_true", help="gather, reconcile, import: only say")
    options.as_json(ledger, "one JSON object")
    ledger.set_defaults(module="ledger")


def add_project(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    project = commands.add_parser(
        "project",
        help="a target's hours over many nights: goals, what is missing, what tonight is best spent on",
        description=_PROJECT,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    project.add_argument("action", choices=["list", "show", "new", "set", "remove", "advise", "subs"])
    project.add_argument("words", nargs="*", metavar="WORD", help="what the action works on, see above")
    project.add_argument("--target", metavar='NAME|"RA DEC"', help="new: what to point at")
    project.add_argument("--goal", metavar="GOAL", help='new: hours, as "Ha 10 h; O3 8-12 h; total 30 h"')
    project.add_argument("--lines", metavar="LINES", help='new: how it is exposed, as "Ha 300 s; L 120 s"')
    project.add_argument("--from-shelf", metavar="NAME", help="new: a framed target, its panels and lines")
    project.add_argument("--projects", nargs="+", metavar="NAME", help="advise: only these")
    project.add_argument("--plan", metavar="PLAN", help="advise: put it into this plan (a file)")
    project.add_argument("--cost", type=number(above=0, most=100), default=5.0, metavar="PERCENT",
                         help="subs: what read noise may cost (5)")  # fmt: skip
    options.whose_night(project)
    options.as_json(project, "one JSON object")
    project.set_defaults(module="project")


_LEDGER = """Every night and frame of all rigs.

  nights              all nights, newest first
  frames              lights with their figures and verdicts
  trends              figures of every night, and what time was lost to
  query "SELECT …"    a question of your own, in SQL; it can only read
  export WHAT FILE    "frames" or "nights" as CSV
  import PATH…        lights from elsewhere: files or folders of FITS; read, measured, solved;
                      or tables (CSV) with the columns of the export
  judge FRAME WORD    kept, rejected, or undecided (as Vigil judges)
  gather TARGET FOLDER
                      kept lights with the calibration frames that match them, and a manifest
  report [EVENING]    of a night; the last one where none is named
  backup FILE         a whole copy, also while a night runs
  restore FILE        in place of the ledger, which is kept beside it
  reconcile [FOLDER…] look for frames that were moved or are gone"""

_PROJECT = """Hours of one target over many nights.

  list                all projects
  show NAME           one, with its goals, panels and season
  new NAME --target T --goal G [--rig R] [--lines L]
  set NAME KEY=VALUE… goal, target, rig, lines, angle, set-point, altitude, paused (yes|no), note; limits:
                      grown, fewer, longer, brighter, guide, trails
  remove NAME         the project; frames stay
  advise              what tonight is best spent on; --night, --projects, --plan
  subs NAME           how long to expose, from the sky and the read noise that its frames show"""
