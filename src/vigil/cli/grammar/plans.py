"""Plans and pieces of plans."""

import argparse

from vigil.cli.grammar import options


def add_plan(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    plan = commands.add_parser(
        "plan",
        help="plans: to read, their timetable, what is wrong with them, one value changed",
        description=_PLAN,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    plan.add_argument("action", choices=list(PLAN_ACTIONS))
    plan.add_argument("words", nargs="*", metavar="WORD", help="what the action works on, see above")
    plan.add_argument("--rig", metavar="RIG", help="rig (JSON); the demo's where not given")
    plan.add_argument("--date", metavar="DATE", help="the evening; else the simulated rig's, or today")
    plan.add_argument("--markdown", action="store_true", help="text: as Markdown")
    options.as_json(plan, "one JSON object")
    plan.set_defaults(module="plan")


def add_pattern(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    pattern = commands.add_parser(
        "pattern",
        help="pieces of plans kept to be used again",
        description=_PATTERN,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    pattern.add_argument("action", choices=list(PATTERN_ACTIONS))
    pattern.add_argument("words", nargs="*", metavar="WORD", help="what the action works on, see above")
    pattern.add_argument("--block", metavar="BLOCK", help="keep: only this; apply: the block for the lines")
    pattern.add_argument("--lines-of", metavar="BLOCK", help="keep: only the exposure lines of this")
    pattern.add_argument("--target", metavar='NAME|"RA DEC"', help="apply: on this target")
    pattern.add_argument("--rig", metavar="RIG", help="apply: for which rig; the demo's where not given")
    options.as_json(pattern, "one JSON object")
    pattern.set_defaults(module="pattern")


PLAN_ACTIONS = {
    "show": "[PLAN]",
    "check": "[PLAN]",
    "text": "[PLAN]",
    "list": "",
    "keep": "PLAN [NAME]",
    "set": "PLAN FIELD VALUE",
    "delete": "NAME",
}
"""What `vigil plan` can do, and the words that go with it."""

_PLAN = """A PLAN is a file, the name of one that the rig keeps, or `desk`: the one that the window has open.

  show, text [PLAN]      to read; the demo's where none is named
  check [PLAN]           what the rig can't do of it, and what won't fit
  list                   those of --rig
  keep PLAN [NAME]       put it among them, under another name where one is given
  set PLAN FIELD VALUE   one value: set desk orders.focus_every_min 60, blocks.ic405.lines.ic405-ha.count 20
  delete NAME            delete one of them; its file stays in a folder beside the others"""

PATTERN_ACTIONS = {
    "list": "",
    "keep": "PLAN NAME",
    "apply": "NAME PLAN",
    "delete": "NAME",
    "export": "NAME FILE",
    "import": "FILE",
}
"""What `vigil pattern` can do, and the words that go with it."""

_PATTERN = """A plan, a block or its exposure lines, kept under a name and put into other plans.

  list                those there are
  keep PLAN NAME      the whole plan, or with --block or --lines-of a piece of it
  apply NAME PLAN     put it into a plan, or begin one; what the rig lacks is left out and named
  delete NAME
  export NAME FILE    and import FILE: patterns are files to exchange"""
