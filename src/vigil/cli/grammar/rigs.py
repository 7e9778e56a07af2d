"""Rigs and their devices."""

import argparse

from vigil.cli.grammar import options
from vigil.cli.grammar.numbers import number, whole


def add_rig(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    rig = commands.add_parser(
        "rig",
        help="your rigs: numbers, what is wrong, compare, change, exchange",
        description=_RIG,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    rig.add_argument("action", choices=list(RIG_ACTIONS))
    rig.add_argument("words", nargs="*", metavar="WORD", help="what the action works on, see above")
    rig.add_argument("--rig", metavar="RIG", help="a rig's name or its file")
    rig.add_argument("--demo", action="store_true", help="the made-up observatory that ships with Vigil")
    rig.add_argument(
        "--seeing", type=number(0.2, 20), default=3.0, metavar="ARCSEC", help="show: star size on the sky (3)"
    )
    rig.add_argument(
        "--ambient", type=number(-60, 60), metavar="C", help="check: how warm tonight's air is, °C"
    )
    options.as_json(rig, "one JSON object")
    rig.set_defaults(module="rig")


def add_device(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    device = commands.add_parser(
        "device",
        help="work a device by hand",
        description=_DEVICE,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    device.add_argument("name", nargs="?", metavar="NAME", help="the device; none lists them all")
    device.add_argument("action", nargs="?", metavar="ACTION", help="what it is to do; none shows it")
    device.add_argument("values", nargs="*", metavar="VALUE")
    device.add_argument("--rig", metavar="RIG", help="a rig's name or its file; the demo's where not given")
    device.add_argument("--count", type=whole(1), metavar="N", help="loop: stop after so many frames")
    options.as_json(device, "one JSON object a line, the last one how it ended")
    device.set_defaults(module="device")


RIG_ACTIONS = {
    "list": "",
    "show": "[RIG]",
    "check": "[PLAN]",
    "compare": "RIG RIG",
    "new": "NAME",
    "copy": "RIG NAME",
    "rename": "NAME",
    "set": "FIELD VALUE",
    "delete": "RIG",
    "restore": "RIG",
    "export": "RIG FILE",
    "import": "FILE",
}
"""What `vigil rig` can do, and the words that go with it."""

_RIG = """Your rigs and the examples. A rig is named by its id, as `list` shows it, or by its file.

  list                  all rigs
  show [RIG]            its parts and every number that follows
  check [PLAN]          all that is wrong or doubtful with --rig, with a plan also for that
  compare RIG RIG       what differs
  new NAME              an empty rig
  copy RIG NAME         the same under another name
  rename NAME           another name for --rig
  set FIELD VALUE       change one value of --rig: set camera.cooler.set_point_c -5
  delete, restore RIG   a deleted one is restored whole
  export RIG FILE       one file with all of it
  import FILE           a rig from such a file"""

_DEVICE = """Works a device by hand, through the rig's keeper, which is started where none runs.
During a night devices are free in a hold only; stop always works.

  vigil device                            all devices and how they are
  vigil device all connect                connect them, all at once
  vigil device mount                      what it says and what can be asked of it
  vigil device mount slew 05:16:12 +34:27
  vigil device focuser by -20
  vigil device mount slew -- 05:35 -05:23   (-- before a negative declination)"""
