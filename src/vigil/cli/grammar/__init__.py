"""What can be typed: each command's options and help, apart from the commands, so that help comes at once."""

import argparse

from vigil import __version__
from vigil.cli.grammar import nights, plans, rigs, simulated, sky

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


def parser() -> argparse.ArgumentParser:
    """Of the whole command line."""
    made = argparse.ArgumentParser(
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
    return made
