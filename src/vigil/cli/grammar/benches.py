"""What the benches do: focus, guiding."""

import argparse

from vigil.cli.grammar import options
from vigil.cli.grammar.numbers import number, whole

_FOCUS = """Focus: measured, found, and what earlier runs say.

  run       a fine run from where the focuser stands
  find      from anywhere in its travel, where stars are discs
  near      short frames in a loop, one star looked at closely
  offsets   every filter against the reference, several times each
  backlash  by two opposite sweeps
  log       the runs on record; learn: temperature model and offsets out of them
  fit       the best position, from a table of numbers

With a keeper for the rig they are its errands; without one a simulated rig is set up under stars and gone
through as fast as can be. 0: accepted; 3: refused, with the reason; 2: bad input."""


def add_focus(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    focus = commands.add_parser(
        "focus",
        help="focus runs, filter offsets, backlash, their log",
        description=_FOCUS,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    focus.add_argument(
        "action", choices=["run", "find", "near", "offsets", "backlash", "log", "learn", "fit"]
    )
    focus.add_argument(
        "file", nargs="?", metavar="FILE", help="fit: a CSV with the columns position,size[,scatter]"
    )
    focus.add_argument("--rig", metavar="RIG", help="a rig's name or its file; the demo's where not given")
    focus.add_argument("--filter", metavar="F", help="through which filter; log, learn: only runs through it")
    focus.add_argument("--start", type=whole(0), metavar="STEPS", help="run, find: where to begin")
    focus.add_argument("--step", type=whole(1), metavar="STEPS", help="run: between positions")
    focus.add_argument(
        "--reach", type=whole(1), metavar="STEPS", help="run: how far it may go from its start"
    )
    focus.add_argument(
        "--frames",
        type=whole(1),
        metavar="N",
        help="run, find: at each position (up to 9); near: how many, else until Ctrl+C",
    )
    focus.add_argument("--binning", type=whole(1, 4), metavar="N", help="near: of its frames (1)")
    focus.add_argument("--guides", action="store_true", help="near: with the guide camera")
    focus.add_argument("--mask", action="store_true", help="near: a diffraction mask is on, read its spikes")
    focus.add_argument(
        "--window", type=whole(1, 4096), metavar="PX", help="near: a subframe around the star; else all"
    )
    focus.add_argument(
        "--exposure", type=number(above=0, most=600), metavar="S", help="else the rig's, and adapted"
    )
    focus.add_argument(
        "--by", choices=["stars", "one star", "sharpness"], help="run: what is measured (stars)"
    )
    focus.add_argument("--keep", action="store_true", help="run: its frames stay on disk")
    focus.add_argument(
        "--elsewhere",
        choices=["ask", "always", "never"],
        help="run: to a richer field where stars are few (ask)",
    )
    focus.add_argument("--finer", action="store_true", help="run: closer positions, twice as exact")
    focus.add_argument("--filters", metavar="F,F", help="offsets: which; else all in the wheel")
    focus.add_argument(
        "--rounds", type=whole(2, 9), metavar="N", help="offsets: runs through each filter (3)"
    )
    focus.add_argument(
        "--most", type=whole(1), metavar="STEPS", help="backlash: the largest that is looked for"
    )
    focus.add_argument(
        "--take-over", action="store_true", help="offsets, backlash, learn: put it into the rig"
    )
    focus.add_argument("--csv", action="store_true", help="log: as a table")
    focus.add_argument("--quick", action="store_true", help="simulated rigs: measured without drawing pixels")
    focus.add_argument(
        "--at", metavar="TIME", help="simulated rigs: when, UTC; else five hours into the evening"
    )
    options.scenario(focus)
    focus.add_argument(
        "--seed", type=whole(0), metavar="N", help="simulated rigs: another sky, gear and weather"
    )
    options.truth(focus)
    options.as_json(focus, "a JSON object a line, the last one a summary")
    focus.set_defaults(module="focus")


_GUIDE = """Guide records (CSV: time_s,ra_arcsec,dec_arcsec,ra_pulse_ms,dec_pulse_ms,snr).

  study     what is seeing and what the mount, and the settings that would have done best
  replay    the same record under other settings"""


def add_guide(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    guide = commands.add_parser(
        "guide",
        help="guide records studied, and played under other settings",
        description=_GUIDE,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    guide.add_argument("action", choices=["study", "replay"])
    guide.add_argument("file", metavar="FILE", help="the record")
    guide.add_argument(
        "--exposure", type=number(above=0, most=600), metavar="S", help="replay: else the record's own"
    )
    for axis, name, laws in (
        ("ra", "right ascension", ["proportional", "predictive", "damped", "one-sided"]),
        ("dec", "declination", ["proportional", "predictive", "damped", "one-sided"]),
    ):
        guide.add_argument(
            f"--{axis}-law", choices=laws, default="proportional", help=f"replay: of {name} (proportional)"
        )
        guide.add_argument(
            f"--{axis}-strength",
            type=number(0, 2),
            metavar="F",
            help=f"replay: share of the error taken back in {name} (0.7)",
        )
        guide.add_argument(
            f"--{axis}-dead-band-arcsec",
            type=number(0, 60),
            metavar="A",
            help="replay: what isn't corrected (0.2)",
        )
    options.as_json(guide, "one JSON object")
    guide.set_defaults(module="guide")
