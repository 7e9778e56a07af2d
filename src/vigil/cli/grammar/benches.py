"""What the benches do: focus."""

import argparse

from vigil.cli.grammar import options


def add_focus(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    focus = commands.add_parser("focus", help="star sizes against focuser positions")
    focus.add_argument("action", choices=["fit"], help="fit: the best position, from a table of numbers")
    focus.add_argument("file", metavar="FILE", help="a CSV with the columns position,size[,scatter]")
    options.as_json(focus, "one JSON object")
    focus.set_defaults(module="focus")
