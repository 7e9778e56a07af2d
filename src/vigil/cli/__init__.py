"""The command line. Each command's module is imported only when it runs, so that help comes at once."""

import argparse
import importlib
import sys

OK, INTERNAL, BAD_INPUT, NOT_ALL, NO_KEEPER = 0, 1, 2, 3, 4
NO_SCREEN = NO_KEEPER
"""Exit statuses: all well; an error in Vigil; bad input; done but not all of it; no keeper to be had."""


class BadInput(ValueError):
    """What the user gave can't be used; the message says what, where, and what would be right."""


def main(argv: list[str] | None = None) -> int:
    """Run a command and return the exit status."""
    parser = _parser()
    args = parser.parse_args(argv)
    if args.module is None:
        parser.print_help()
        return OK
    command = importlib.import_module(f"vigil.cli.{args.module}")
    try:
        return int(command.run(args))
    except BadInput as problem:
        print(f"vigil: {problem}", file=sys.stderr)
        return BAD_INPUT
    except BrokenPipeError:
        return OK


def _parser() -> argparse.ArgumentParser:
    from vigil import __version__

    parser = argparse.ArgumentParser(
        prog="vigil",
        description="Plans, frames and runs automated deep-sky imaging nights.",
        epilog="Exit status: 0 all well, 2 bad input, 3 done but not all of it, 4 no keeper, "
        "1 an error in Vigil.",
    )
    parser.add_argument("--version", action="version", version=f"vigil {__version__}")
    parser.set_defaults(module=None)
    commands = parser.add_subparsers(title="commands", metavar="COMMAND")

    run = commands.add_parser("run", help="run a night and show it", description=_RUN)
    run.add_argument("plan", nargs="?", metavar="PLAN", help="night plan (JSON); the demo has one of its own")
    run.add_argument("--rig", metavar="RIG", help="rig (JSON)")
    run.add_argument("--demo", action="store_true", help="the made-up observatory that ships with Vigil")
    run.add_argument("--fit", action="store_true", help="leave out of the plan what the rig lacks")
    run.add_argument("--out", metavar="DIR", help="folder for the frames")
    _one_line(run)
    run.add_argument(
        "--resume", action="store_true", help="take up the night that was cut short; start no other"
    )
    _pace(run)
    run.add_argument("--seed", type=int, metavar="N", help="simulated rigs: another sky, gear and weather")
    _scenario(run)
    _truth(run)
    _json(run, "one JSON event a line, the last one a summary")
    run.set_defaults(module="run")

    rehearse = commands.add_parser(
        "rehearse", help="the whole night ahead of time, in seconds, on the simulated rig"
    )
    rehearse.add_argument("plan", nargs="?", metavar="PLAN", help="night plan (JSON)")
    rehearse.add_argument("--rig", metavar="RIG", help="rig (JSON)")
    rehearse.add_argument("--demo", action="store_true", help="the made-up observatory that ships with Vigil")
    rehearse.add_argument("--fit", action="store_true", help="leave out of the plan what the rig lacks")
    _one_line(rehearse)
    rehearse.add_argument("--date", metavar="DATE", help="the evening; else the simulated rig's, or today")
    rehearse.add_argument("--seed", type=int, metavar="N", help="another sky, gear and weather")
    rehearse.add_argument("--seeds", type=int, metavar="N", help="so many rehearsals: the odds of each line")
    _scenario(rehearse)
    _truth(rehearse)
    _json(rehearse, "one JSON event a line, the last one a summary")
    rehearse.set_defaults(module="rehearse")

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
    _json(plan, "one JSON object")
    plan.set_defaults(module="plan")

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
    _json(pattern, "one JSON object")
    pattern.set_defaults(module="pattern")

    window = commands.add_parser("window", help="open the window on a rig", description=_WINDOW)
    window.add_argument("plan", nargs="?", metavar="PLAN", help="night plan (JSON) to begin with")
    window.add_argument("--rig", metavar="RIG", help="rig (JSON)")
    window.add_argument("--demo", action="store_true", help="the made-up observatory that ships with Vigil")
    window.add_argument(
        "--speed",
        type=float,
        default=60.0,
        metavar="N",
        help="simulated nights: so many times real time (60)",
    )
    window.add_argument("--seed", type=int, metavar="N", help="simulated rigs: another sky, gear and weather")
    _scenario(window)
    window.add_argument("--autostart", action="store_true", help="start the night at once")
    window.add_argument("--exit-when-done", action="store_true", help="close when the night is over")
    window.set_defaults(module="window")

    night = commands.add_parser(
        "night",
        help="look at a running night, change it, hold it, end it",
        description=_NIGHT,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    night.add_argument("action", choices=list(NIGHT_ACTIONS))
    night.add_argument("word", nargs="?", metavar="WORD", help="what the action works on, see above")
    night.add_argument("--rig", metavar="RIG", help="rig (JSON); the demo's where not given")
    night.add_argument("--now", action="store_true", help="hold, skip, next: abandon the exposure under way")
    night.add_argument("--after-frame", action="store_true", help="end: finish the frame under way first")
    night.add_argument("--reason", metavar="TEXT", help="hold, end: what to write in the log")
    _json(night, "one JSON object")
    night.set_defaults(module="night")

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
        "--seeing", type=float, default=3.0, metavar="ARCSEC", help="show: star size on the sky (3)"
    )
    rig.add_argument("--ambient", type=float, metavar="C", help="check: how warm tonight's air is, °C")
    _json(rig, "one JSON object")
    rig.set_defaults(module="rig")

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
    device.add_argument("--count", type=int, metavar="N", help="loop: stop after so many frames")
    _json(device, "one JSON object a line, the last one how it ended")
    device.set_defaults(module="device")

    solve = commands.add_parser(
        "solve", help="find out what piece of sky pictures show (FITS, TIFF, PNG, JPEG)"
    )
    solve.add_argument("files", nargs="+", metavar="FILE")
    solve.add_argument("--near", metavar='"RA DEC"', help="where to look; else the header's RA and DEC")
    solve.add_argument("--within", type=float, default=3.0, metavar="DEG", help="how far around (3)")
    solve.add_argument(
        "--scale", metavar="MIN..MAX", help="arc-seconds a pixel; else from the header, ±20 %%"
    )
    solve.add_argument(
        "--blind", action="store_true", help="search the whole sky when that fails, or nothing is known"
    )
    solve.add_argument("--field", metavar="MIN..MAX", help="blind: shorter side in degrees (0.3..15)")
    solve.add_argument("--write", action="store_true", help="add the solution to the file's header (FITS)")
    solve.add_argument("--residuals", action="store_true", help="with --json: every matched star")
    solve.add_argument("--jobs", type=int, metavar="N", help="files at a time; else as many as processors")
    _json(solve, "one JSON object a line a file")
    solve.set_defaults(module="solve")

    measure = commands.add_parser("measure", help="star sizes and background of frames")
    measure.add_argument("files", nargs="+", metavar="FILE")
    _json(measure, "one JSON object a line a file")
    measure.set_defaults(module="measure")

    _add_targets(commands)
    ready = commands.add_parser("ready", help="what a field without network needs, and whether it is here")
    ready.add_argument("--make", action="store_true", help="make what can be made: the sky table")
    _json(ready, "one JSON object")
    ready.set_defaults(module="ready")

    catalogue = commands.add_parser("catalogue", help="a deeper star catalogue of your own")
    catalogue.add_argument("action", choices=["add", "show", "remove"])
    catalogue.add_argument("file", nargs="?", metavar="FILE", help="add: a CSV or FITS table")
    for what, words in (("ra", "right ascension"), ("dec", "declination"), ("mag", "magnitude")):
        catalogue.add_argument(f"--{what}", metavar="COLUMN", help=f"add: the column of the {words}")
    _json(catalogue, "one JSON object")
    catalogue.set_defaults(module="catalogue")

    _add_shoot(commands)

    scenario = commands.add_parser(
        "scenario",
        help="what sky, air and gear of a simulated rig really do",
        description=_SCENARIO,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    scenario.add_argument("action", choices=list(SCENARIO_ACTIONS))
    scenario.add_argument("words", nargs="*", metavar="WORD", help="what the action works on, see above")
    scenario.add_argument("--rig", metavar="RIG", help="whose keeper; the demo's where not given")
    scenario.add_argument("--minutes", type=float, default=10.0, metavar="N", help="fault: how long (10)")
    scenario.add_argument("--amount", type=float, metavar="N", help="fault: by how much, where it moves")
    _json(scenario, "one JSON object")
    scenario.set_defaults(module="scenario")

    keep = commands.add_parser("keep", help="be the keeper of a rig (other commands start one)")
    keep.add_argument("--rig", metavar="RIG", required=True)
    _pace(keep)
    keep.add_argument("--seed", type=int, metavar="N")
    keep.add_argument("--guarded", action="store_true", help="started again should it die")
    _scenario(keep)
    _truth(keep)
    keep.set_defaults(module="keep")
    return parser


def _add_targets(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    targets = commands.add_parser("targets", help="what tonight offers, or what a search finds")
    targets.add_argument("--search", metavar="TEXT", help="a name, spelling forgiven, or a position")
    _whose_night(targets)
    targets.add_argument("--narrowband", action="store_true", help="rank by brightness through line filters")
    targets.add_argument("--dusk", choices=["civil", "nautical", "astronomical"], default="astronomical")
    targets.add_argument(
        "--kind", action="append", metavar="KIND", help="only these, as galaxy; may be repeated"
    )
    targets.add_argument("--constellation", metavar="ABC", help="only there, as Ori")
    targets.add_argument("--larger", type=float, metavar="ARCMIN", help="only objects at least that long")
    targets.add_argument("--smaller", type=float, metavar="ARCMIN")
    targets.add_argument("--above", type=float, metavar="DEG", help="count the time above this altitude only")
    targets.add_argument("--moon", type=float, metavar="DEG", help="at least so far from the moon")
    targets.add_argument("--weights", metavar="W", help="as time=2,size=1,brightness=0.5 (1 each)")
    targets.add_argument("--most", type=int, default=30, metavar="N", help="how many (30)")
    _json(targets, "one JSON object")
    targets.set_defaults(module="targets")

    frame = commands.add_parser("frame", help="panels of a target or a position, as they will be sent")
    frame.add_argument("target", metavar='TARGET|"RA DEC"')
    frame.add_argument("--columns", type=int, default=1, metavar="N", help="panels across (1)")
    frame.add_argument("--rows", type=int, default=1, metavar="N", help="panels up (1)")
    frame.add_argument("--cover", action="store_true", help="as many panels as cover the object")
    frame.add_argument(
        "--overlap", type=float, default=20.0, metavar="PERCENT", help="the least anywhere (20)"
    )
    frame.add_argument("--angle", type=float, metavar="DEG", help="position angle of the rows (0)")
    frame.add_argument(
        "--lines", metavar="LINES", help='a panel\'s exposures, as "Ha 300 s x 12; OIII 300 s x 12"'
    )
    frame.add_argument("--keep", action="store_true", help="put it on the shelf")
    _whose_night(frame)
    _json(frame, "one JSON object")
    frame.set_defaults(module="frame")

    shelf = commands.add_parser(
        "shelf",
        help="framed targets kept for any night",
        description=_SHELF,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    shelf.add_argument("action", choices=["list", "remove", "export", "import", "plan"])
    shelf.add_argument("words", nargs="*", metavar="WORD", help="what the action works on, see above")
    shelf.add_argument(
        "--column", action="append", metavar="OURS=THEIRS", help="import: which column is which"
    )
    shelf.add_argument("--rig", metavar="RIG", help="plan: whose; the demo's where not given")
    _json(shelf, "one JSON object")
    shelf.set_defaults(module="shelf")


def _whose_night(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--rig", metavar="RIG", help="a rig's name or its file; the demo's where not given")
    parser.add_argument("--night", metavar="DATE", help="the evening's date, as 2027-01-12; else the next")


def _add_shoot(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    shoot = commands.add_parser(
        "shoot", help="frames by hand under the simulated sky, without a night", description=_SHOOT
    )
    shoot.add_argument("--rig", metavar="RIG", help="a simulated rig; the demo's where not given")
    shoot.add_argument("--kind", choices=["light", "dark", "flat", "bias", "guide"], default="light")
    shoot.add_argument("--filter", metavar="F", help="through which filter; else the one to focus through")
    shoot.add_argument("--exposure", type=float, metavar="S", help="seconds; a bias needs none")
    shoot.add_argument("--count", type=int, default=1, metavar="N", help="how many (1)")
    shoot.add_argument("--gain", type=int, metavar="N", help="else the rig's for lights")
    shoot.add_argument("--offset", type=int, metavar="N", help="else the rig's for lights")
    shoot.add_argument("--binning", type=int, default=1, choices=[1, 2, 3, 4], metavar="N", help="1 to 4 (1)")
    shoot.add_argument(
        "--focus-offset", type=float, default=0.0, metavar="STEPS", help="from the best focus there is (0)"
    )
    shoot.add_argument("--near", metavar='"RA DEC"', help="where to look; else high in the south-east")
    shoot.add_argument(
        "--at", metavar="TIME", help="UTC, as 2027-01-12T21:00; else five hours into the rig's evening"
    )
    shoot.add_argument(
        "--sensor-c", type=float, metavar="C", help="the sensor's temperature; else its set-point"
    )
    shoot.add_argument(
        "--level", type=int, metavar="STEP", help="flat: the panel's; else for half a full scale"
    )
    _scenario(shoot)
    shoot.add_argument("--seed", type=int, metavar="N", help="another sky, gear and weather")
    shoot.add_argument("--out", metavar="DIR", default=".", help="folder for the frames (here)")
    _truth(shoot)
    _json(shoot, "one JSON object a line a file, with the light's budget")
    shoot.set_defaults(module="shoot")


def _scenario(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--scenario", metavar="SCENARIO", help="simulated rigs: what really is; a name or a file"
    )


def _one_line(parser: argparse.ArgumentParser) -> None:
    parser.add_argument(
        "--target", metavar='NAME|"RA DEC"', help="a night without a plan file: what to point at"
    )
    parser.add_argument("--lines", metavar="LINES", help='with --target: "Ha 300 s x 12; OIII 300 s x 12"')
    parser.add_argument("--yes", action="store_true", help="with --target: don't ask first")
    parser.add_argument(
        "--allow-programs", action="store_true", help="the plan's programs may be run, now and later"
    )


def _truth(parser: argparse.ArgumentParser) -> None:
    parser.add_argument("--truth", metavar="FILE", help="simulated rigs: what really was, as CSV")


def _pace(parser: argparse.ArgumentParser) -> None:
    pace = parser.add_mutually_exclusive_group()
    pace.add_argument("--virtual", action="store_true", help="simulated rigs: as fast as pixels can be made")
    pace.add_argument(
        "--speed", type=float, default=1.0, metavar="N", help="simulated rigs: so many times real time (1)"
    )


def _json(parser: argparse.ArgumentParser, words: str) -> None:
    parser.add_argument("--json", action="store_true", help=f"for programs: {words}")


NIGHT_ACTIONS = {
    "status": "",
    "follow": "",
    "hold": "",
    "resume": "",
    "accept": "",
    "skip": "[BLOCK]",
    "next": "BLOCK",
    "plan": "PLAN",
    "refocus": "",
    "pause-focus": "",
    "take-up-focus": "",
    "reject": "FRAME",
    "keep": "FRAME",
    "end": "",
    "speed": "N",
    "forward": "",
}
"""What `vigil night` can do, and the word that goes with it."""

_NIGHT = """The night that a rig's keeper runs. Each change says from when it is in force.

  status             where it stands
  follow             every event as it comes, until it is over
  hold, resume       wait after the activity under way, and go on
  accept             to what is asked of a person: it is good as it is
  skip [BLOCK]       leave a block for tonight: the one under way, or another
  next BLOCK         a block before the others; one left for tonight is taken up again
  plan PLAN          go on by an edited plan: what has frames keeps its target and its settings
  refocus            after the frame under way
  pause-focus        no refocusing until take-up-focus
  reject, keep FRAME a frame, by its id: a rejected one is taken again, a kept one counts
  end                close the night, at once or --after-frame
  speed N            simulated time: so many times real time
  forward            simulated time: on to the next event"""

PLAN_ACTIONS = {
    "show": "[PLAN]",
    "check": "[PLAN]",
    "text": "[PLAN]",
    "list": "",
    "keep": "PLAN [NAME]",
    "set": "PLAN FIELD VALUE",
    "remove": "NAME",
}
"""What `vigil plan` can do, and the words that go with it."""

_PLAN = """A PLAN is a file, the name of one that the rig keeps, or `desk`: the one that the window has open.

  show, text [PLAN]      to read; the demo's where none is named
  check [PLAN]           what the rig can't do of it, and what won't fit
  list                   those of --rig
  keep PLAN [NAME]       put it among them, under another name where one is given
  set PLAN FIELD VALUE   one value: set desk orders.focus_every_min 60, blocks.ic405.lines.ic405-ha.count 20
  remove NAME            throw one of them away; its file stays in a folder beside the others"""

PATTERN_ACTIONS = {
    "list": "",
    "keep": "PLAN NAME",
    "apply": "NAME PLAN",
    "remove": "NAME",
    "export": "NAME FILE",
    "import": "FILE",
}
"""What `vigil pattern` can do, and the words that go with it."""

_PATTERN = """A plan, a block or its exposure lines, kept under a name and put into other plans.

  list                those there are
  keep PLAN NAME      the whole plan, or with --block or --lines-of a piece of it
  apply NAME PLAN     put it into a plan, or begin one; what the rig lacks is left out and named
  remove NAME
  export NAME FILE    and import FILE: patterns are files to exchange"""

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
  delete, restore RIG   and bring it back
  export RIG FILE       one file with all of it
  import FILE           and back"""

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

_SHELF = """Framed targets with their panels, exposure lines and set-point, for any night.

  list                what is there
  remove NAME
  export FILE         as CSV
  import FILE         from CSV: Vigil's own columns, or a spreadsheet's list of targets
  plan NAME PLAN      put what is still to be taken of it into a plan, a block a panel"""

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

_SHOOT = """Draws frames of the simulated sky with a rig's optics and camera, and nothing else: no night,
no keeper. The sky, the mount's aim and the noise follow from the scenario and the seed alone."""

_DEVICE = """Works a device by hand, through the rig's keeper, which is started where none runs.
During a night devices are free in a hold only; stop always works.

  vigil device                            all devices and how they are
  vigil device all connect                connect them, all at once
  vigil device mount                      what it says and what can be asked of it
  vigil device mount slew 05:16:12 +34:27
  vigil device focuser by -20
  vigil device mount slew -- 05:35 -05:23   (-- before a negative declination)"""

_WINDOW = """Opens the window; starts a keeper for the rig, or attaches to the one that runs.
Closing the window leaves a night running."""

_RUN = """Starts a keeper for the rig, or attaches to the one that runs, and shows the night.
Ctrl+C asks whether to leave the night running or to end it safely."""
