"""Nights: run, followed, rehearsed, seen in the window, kept."""

import argparse

from vigil.cli.grammar import options
from vigil.cli.grammar.numbers import number, whole


def add_run(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    run = commands.add_parser("run", help="run a night and show it", description=_RUN)
    options.plan_and_rig(run, "night plan (JSON); the demo has one of its own")
    run.add_argument("--out", metavar="DIR", help="folder for the frames")
    options.one_line(run)
    run.add_argument(
        "--resume", action="store_true", help="resume the night that was cut short; start no other"
    )
    options.pace(run)
    options.begins_at(run)
    run.add_argument(
        "--seed", type=whole(0), metavar="N", help="simulated rigs: another sky, gear and weather"
    )
    options.scenario(run)
    options.truth(run)
    options.as_json(run, "one JSON event a line, the last one a summary")
    run.set_defaults(module="run")


def add_rehearse(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    rehearse = commands.add_parser(
        "rehearse", help="the whole night ahead of time, in seconds, on the simulated rig"
    )
    options.plan_and_rig(rehearse, "night plan (JSON)")
    options.one_line(rehearse)
    rehearse.add_argument("--date", metavar="DATE", help="the evening; else the simulated rig's, or today")
    rehearse.add_argument("--seed", type=whole(0), metavar="N", help="another sky, gear and weather")
    rehearse.add_argument(
        "--seeds", type=whole(1, 200), metavar="N", help="so many rehearsals: the odds of each line"
    )
    options.scenario(rehearse)
    options.truth(rehearse)
    options.as_json(rehearse, "one JSON event a line, the last one a summary")
    rehearse.set_defaults(module="rehearse")


def add_window(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    window = commands.add_parser("window", help="open the window on a rig", description=_WINDOW)
    window.add_argument("plan", nargs="?", metavar="PLAN", help="night plan (JSON) to begin with")
    window.add_argument("--rig", metavar="RIG", help="rig (JSON)")
    window.add_argument("--demo", action="store_true", help="the made-up observatory that ships with Vigil")
    window.add_argument(
        "--speed",
        type=number(1, 1000),
        default=60.0,
        metavar="N",
        help="simulated nights: so many times real time (60)",
    )
    window.add_argument(
        "--seed", type=whole(0), metavar="N", help="simulated rigs: another sky, gear and weather"
    )
    options.scenario(window)
    options.begins_at(window)
    window.add_argument("--autostart", action="store_true", help="start the night at once")
    window.add_argument("--exit-when-done", action="store_true", help="close when the night is over")
    window.set_defaults(module="window")


def add_night(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
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
    options.as_json(night, "one JSON object")
    night.set_defaults(module="night")


def add_errand(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    errand = commands.add_parser(
        "errand",
        help="everything that a rig's keeper has in hand: list, follow, stop, answer",
        description=_ERRAND,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    errand.add_argument("action", choices=list(ERRAND_ACTIONS))
    errand.add_argument("word", nargs="?", metavar="ERRAND", default="", help="by id, its end, or its words")
    errand.add_argument("answer", nargs="?", metavar="ANSWER", default="", help="answer: else the first one")
    errand.add_argument("--rig", metavar="RIG", help="rig (JSON); the demo's where not given")
    errand.add_argument("--past", action="store_true", help="list: also what is over, from the ledger")
    errand.add_argument("--px", type=number(above=0, most=200), metavar="N", help="dither: else the rig's")
    errand.add_argument("--stream", metavar="NAME", help="follow: its samples of this name too")
    options.as_json(errand, "one JSON object, or one a line")
    errand.set_defaults(module="errand")


def add_keep(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    keep = commands.add_parser("keep", help="be the keeper of a rig (other commands start one)")
    keep.add_argument("--rig", metavar="RIG", required=True)
    options.pace(keep)
    options.begins_at(keep)
    keep.add_argument("--seed", type=whole(0), metavar="N")
    keep.add_argument("--guarded", action="store_true", help="started again should it die")
    options.scenario(keep)
    options.truth(keep)
    keep.set_defaults(module="keep")


_RUN = """Starts a keeper for the rig, or attaches to the one that runs, and shows the night.
Ctrl+C asks whether to leave the night running or to end it safely."""

_WINDOW = """Opens the window; starts a keeper for the rig, or attaches to the one that runs.
Closing the window leaves a night running."""

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
    "resume-focus": "",
    "reject": "FRAME",
    "keep": "FRAME",
    "end": "",
    "speed": "N",
    "jump": "",
}
"""What `vigil night` can do, and the word that goes with it."""

ERRAND_ACTIONS = ("list", "follow", "stop", "answer", "dither")

_ERRAND = """An errand is whatever the keeper carries out: a night, work by hand, what guards do.

  list [--past]             what is under way, and what is asked
  follow [ERRAND]           its events as they come, until it is over
  stop [ERRAND]             it ends, safely; a night is closed
  answer [ERRAND] [ANSWER]  to what it asks
  dither [ERRAND] [--px N]  guiding: by up to so many pixels of the main camera

ERRAND is an id as `list` shows it, the end of one ("hand-3"), its kind or its words; where there is
only one it may be left out, but a night has to be named to be stopped."""

_NIGHT = """The night that a rig's keeper runs. Each change says from when it is in force.

  status             where it stands
  follow             every event as it comes, until it is over
  hold, resume       wait after the activity under way, and go on
  accept             to what is asked of a person: it is good as it is
  skip [BLOCK]       skip a block for tonight: the one under way, or another
  next BLOCK         a block before the others, also one that was skipped
  plan PLAN          go on by an edited plan: what has frames keeps its target and its settings
  refocus            after the frame under way
  pause-focus        no refocusing until resume-focus
  reject, keep FRAME a frame, by its id: a rejected one is taken again, a kept one counts
  end                close the night, at once or --after-frame
  speed N            simulated time: so many times real time
  jump               simulated time: jump ahead to the next event"""
