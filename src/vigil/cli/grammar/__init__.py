"""What can be typed: each command's options and help, apart from the commands, so that help comes at once."""

import argparse
import re
from typing import Any

from vigil import __version__
from vigil.cli.grammar import benches, ledgers, nights, plans, rigs, simulated, sky

_IN_ORDER = (
    nights.add_run,
    nights.add_rehearse,
    plans.add_plan,
    plans.add_pattern,
    nights.add_window,
    nights.add_night,
    nights.add_errand,
    rigs.add_rig,
    rigs.add_device,
    benches.add_focus,
    benches.add_guide,
    benches.add_polar,
    benches.add_flats,
    benches.add_darks,
    benches.add_master,
    benches.add_coverage,
    ledgers.add_ledger,
    ledgers.add_project,
    sky.add_solve,
    sky.add_measure,
    sky.add_targets,
    sky.add_frame,
    sky.add_shelf,
    sky.add_ready,
    sky.add_catalogue,
    simulated.add_shoot,
    simulated.add_scenario,
    nights.add_keep,
)


class _Parser(argparse.ArgumentParser):
    """Takes a declination such as -34:27 for a word, not for an option."""

    def __init__(self, *args: Any, **values: Any) -> None:
        super().__init__(*args, **values)
        self._negative_number_matcher = re.compile(r"-\.?\d")


def read(argv: list[str]) -> argparse.Namespace | None:
    """What was typed, options and words in any order; None where no command was. Ends the process with a
    message where it can't be read."""
    whole, commands = parser()
    at = next((n for n, word in enumerate(argv) if not word.startswith("-")), None)
    if at is None or argv[at] not in commands:
        whole.parse_args(argv)
        return None
    whole.parse_args(argv[:at])
    return commands[argv[at]].parse_intermixed_args(argv[at + 1 :])


def parser() -> tuple[argparse.ArgumentParser, dict[str, argparse.ArgumentParser]]:
    """Of the whole command line, and of each command."""
    made = _Parser(
        prog="vigil",
        description="Plans, frames and runs automated deep-sky imaging nights.",
        epilog="Exit status: 0 all well, 2 bad input, 3 done but not all of it, 4 no keeper, "
        "1 an error in Vigil.",
    )
    made.add_argument("--version", action="version", version=f"vigil {__version__}")
    made.set_defaults(module=None)
    commands = made.add_subparsers(title="commands", metavar="COMMAND")
    for add in _IN_ORDER:
        add(commands)
    return made, dict(commands.choices)
