"""The simulated sky: single frames of it, and what it does."""

import argparse

from vigil.cli.grammar import options
from vigil.cli.grammar.numbers import number, whole


def add_shoot(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    shoot = commands.add_parser(
        "shoot", help="frames by hand under the simulated sky, without a night", description=_SHOOT
    )
    shoot.add_argument("--rig", metavar="RIG", help="a simulated rig; the demo's where not given")
    shoot.add_argument("--kind", choices=["light", "dark", "flat", "bias", "guide"], default="light")
    shoot.add_argument("--filter", metavar="F", help="through which filter; else the one to focus through")
    shoot.add_argument(
        "--exposure", type=number(above=0, most=86_400), metavar="S", help="seconds; a bias needs none"
    )
    shoot.add_argument("--count", type=whole(1), default=1, metavar="N", help="how many (1)")
    shoot.add_argument("--gain", type=whole(0), metavar="N", help="else the rig's for lights")
    shoot.add_argument("--offset", type=whole(0), metavar="N", help="else the rig's for lights")
    shoot.add_argument("--binning", type=whole(1, 4), default=1, metavar="N", help="1 to 4 (1)")
    shoot.add_argument(
        "--focus-offset", type=number(), default=0.0, metavar="STEPS", help="from the best focus there is (0)"
    )
    shoot.add_argument("--near", metavar='"RA DEC"', help="where to look; else high in the south-east")
    shoot.add_argument(
        "--at", metavar="TIME", help="UTC, as 2027-01-12T21:00; else five hours into the rig's evening"
    )
    shoot.add_argument(
        "--sensor-c", type=number(-100, 60), metavar="C", help="the sensor's temperature; else its set-point"
    )
    shoot.add_argument(
        "--level", type=whole(0), metavar="STEP", help="flat: the panel's; else for half a full scale"
    )
    options.scenario(shoot)
    shoot.add_argument("--seed", type=whole(0), metavar="N", help="another sky, gear and weather")
    shoot.add_argument("--out", metavar="DIR", default=".", help="folder for the frames (here)")
    options.truth(shoot)
    options.as_json(shoot, "one JSON object a line a file, with the light's budget")
    shoot.set_defaults(module="shoot")


def add_scenario(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    scenario = commands.add_parser(
        "scenario",
        help="what sky, air and gear of a simulated rig really do",
        description=_SCENARIO,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    scenario.add_argument("action", choices=list(SCENARIO_ACTIONS))
    scenario.add_argument("words", nargs="*", metavar="WORD", help="what the action works on, see above")
    scenario.add_argument("--rig", metavar="RIG", help="whose keeper; the demo's where not given")
    scenario.add_argument(
        "--minutes", type=number(above=0), default=10.0, metavar="N", help="fault: how long (10)"
    )
    scenario.add_argument("--amount", type=number(), metavar="N", help="fault: by how much, where it moves")
    options.as_json(scenario, "one JSON object")
    scenario.set_defaults(module="scenario")


_SHOOT = """Draws frames of the simulated sky with a rig's optics and camera, and nothing else: no night,
no keeper. The sky, the mount's aim and the noise follow from the scenario and the seed alone."""

SCENARIO_ACTIONS = {
    "list": "",
    "show": "[SCENARIO]",
    "now": "",
    "take": "SCENARIO",
    "set": "FIELD VALUE",
    "fault": "KIND [DEVICE]",
    "turn": "HIGHER EAST",
    "turn-camera": "DEGREES",
}
"""What `vigil scenario` can do, and the words that go with it."""

_SCENARIO = """A scenario says what sky, air and gear of a simulated rig really do. It is one of those that
ship with Vigil, or a file; `vigil run`, `window` and `shoot` take it as --scenario.

  list                  those that ship with Vigil
  show [SCENARIO]       every value, by its name and unit; those that differ from an ordinary night are marked
  now                   the one in force in --rig's keeper, and what sky and air are like
  take SCENARIO         put another one in force there
  set FIELD VALUE       change one value there: set air.seeing_arcsec 4
  fault KIND [DEVICE]   something goes wrong now, for --minutes: fault "wheel jams"
  turn HIGHER EAST      turn the polar axis's adjusters, arc-minutes: turn -- -1.5 0.5
  turn-camera DEGREES   turn the camera in its collar, as a person would"""
