"""What the benches do: focus, guiding, the polar axis."""

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
        help="run, find: to a richer field where stars are few (ask)",
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


_LAWS = ["proportional", "predictive", "damped", "one-sided"]
_GUIDE = """Guiding.

  calibrate  which way and how far a star moves for a correction
  run        guide, until Ctrl+C
  dark       a dark for the guide camera: it takes hot pixels out
  study      of a record: what is seeing and what the mount, and the settings that would have done best
  replay     the same record under other settings

Records are CSV: time_s,ra_arcsec,dec_arcsec,ra_pulse_ms,dec_pulse_ms,snr. With a keeper for the rig the first
three are its errands; without one a simulated rig is set up under stars and gone through as fast as can be.
0: done; 3: not done, with the reason; 2: bad input."""


def add_guide(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    guide = commands.add_parser(
        "guide",
        help="guide, calibrate the guider, study guide records",
        description=_GUIDE,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    guide.add_argument("action", choices=["calibrate", "run", "dark", "study", "replay"])
    guide.add_argument("file", nargs="?", metavar="FILE", help="study, replay: the record")
    guide.add_argument("--rig", metavar="RIG", help="a rig's name or its file; the demo's where not given")
    guide.add_argument(
        "--exposure", type=number(above=0, most=60), metavar="S", help="else the rig's, or the record's own"
    )
    guide.add_argument("--binning", type=whole(1, 4), metavar="N", help="of the guide camera (1)")
    guide.add_argument(
        "--go", dest="goes", action="store_true", help="calibrate: near the equator and the meridian"
    )
    guide.add_argument("--side", choices=["east", "west"], help="calibrate: go there, on that side of it")
    guide.add_argument(
        "--frames",
        type=whole(1),
        metavar="N",
        help="run: so many, else until Ctrl+C; dark: of its median (9)",
    )
    guide.add_argument("--watch", action="store_true", help="run: without corrections, for a study")
    guide.add_argument(
        "--calibration", choices=["when needed", "always", "never"], help="run: made again (when needed)"
    )
    guide.add_argument(
        "--star", nargs=2, type=number(0), metavar=("X", "Y"), help="run: the star nearest to that pixel"
    )
    guide.add_argument("--record", metavar="FILE", help="run: keep the frames as a record")
    guide.add_argument("--take-over", action="store_true", help="study: put its advice into the rig")
    guide.add_argument("--covered", action="store_true", help="dark: the guide scope is covered, don't ask")
    for axis, name in (("ra", "right ascension"), ("dec", "declination")):
        guide.add_argument(f"--{axis}-law", choices=_LAWS, help=f"replay: of {name} (proportional)")
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
    guide.add_argument("--quick", action="store_true", help="simulated rigs: measured without drawing pixels")
    guide.add_argument(
        "--at", metavar="TIME", help="simulated rigs: when, UTC; else five hours into the evening"
    )
    options.scenario(guide)
    guide.add_argument(
        "--seed", type=whole(0), metavar="N", help="simulated rigs: another sky, gear and weather"
    )
    options.truth(guide)
    options.as_json(guide, "a JSON object a line, the last one a summary; study, replay: one object")
    guide.set_defaults(module="guide")


_POLAR = """The mount's polar axis.

  measure   with the rig: by three frames with turns in right ascension between them, or by drift
  watch     while the adjusters are turned, until Ctrl+C: what is left, frame by frame
  place     send the mount to where one axis shows best in drift
  back      send the mount back to where it stood before, parked if it was parked
  log       the measurements on record
  solve     out of two or three frames from anywhere, between which the mount has turned in right ascension
  drift     out of a guide record: how a star drifts in declination, corrections taken out

Times come from DATE-OBS and EXPTIME, the site from the header unless it is given. 0: told; 3: a frame wasn't
solved, or shows no turn, or it was not done; 2: bad input. With a keeper for the rig measure, watch, place
and back are its errands; without one a simulated rig is set up and measured as fast as can be."""


def add_polar(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    polar = commands.add_parser(
        "polar",
        help="where the mount's polar axis points",
        description=_POLAR,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    polar.add_argument("action", choices=["measure", "watch", "place", "back", "log", "solve", "drift"])
    polar.add_argument(
        "files", nargs="*", metavar="FILE", help="solve: frames, in the order of time; drift: a guide record"
    )
    polar.add_argument("--site", metavar='"LAT LON [HEIGHT_M]"', help="solve: else by the first header")
    polar.add_argument("--method", choices=["frames", "drift"], help="measure: how (frames)")
    polar.add_argument("--camera", choices=["main", "guide"], help="measure, watch: which looks (guide)")
    polar.add_argument("--turn", type=number(15, 60), metavar="DEG", help="measure: each turn (30)")
    polar.add_argument(
        "--way", choices=["west", "east"], help="measure: which way; else the one that is clear"
    )
    polar.add_argument("--frames", type=whole(1), metavar="N", help="measure: 2 or 3 (3); watch: so many")
    polar.add_argument("--rate", type=number(above=0, most=10), metavar="DEG_S", help="measure: of the turns")
    polar.add_argument(
        "--exposure", type=number(above=0, most=60), metavar="S", help="measure, watch: else the rig's"
    )
    polar.add_argument("--binning", type=whole(1, 4), metavar="N", help="measure, watch: of the camera")
    polar.add_argument("--filter", metavar="NAME", help="measure, watch: of the main camera")
    polar.add_argument(
        "--go", dest="goes", action="store_true", help="measure: unpark, and go where it shows, first"
    )
    polar.add_argument("--star", nargs=2, type=number(0), metavar=("X", "Y"), help="watch: that pixel's star")
    polar.add_argument(
        "--turned",
        type=number(-20, 20),
        metavar="TURNS",
        help="measure by drift: by how much the adjuster was turned before, + clockwise",
    )
    polar.add_argument("--rig", metavar="RIG", help="a rig's name or its file; the demo's where not given")
    polar.add_argument("--axis", choices=["azimuth", "altitude"], help="drift, place: which is asked for")
    polar.add_argument("--latitude", type=number(-90, 90), metavar="DEG", help="drift: of the site")
    polar.add_argument("--declination", type=number(-90, 90), metavar="DEG", help="drift: of the star")
    polar.add_argument(
        "--hour-angle", type=number(-180, 180), metavar="DEG", help="drift: of the star, + after the meridian"
    )
    polar.add_argument(
        "--within",
        type=number(above=0, most=60),
        metavar="ARCMIN",
        help="drift: known so well is enough (0.5)",
    )
    polar.add_argument("--pressure", type=number(0, 1100), metavar="HPA", help="else the height's usual one")
    polar.add_argument("--temperature", type=number(-60, 60), metavar="C", help="of the air (10)")
    polar.add_argument("--quick", action="store_true", help="simulated rigs: measured without drawing pixels")
    polar.add_argument(
        "--at", metavar="TIME", help="simulated rigs: when, UTC; else five hours into the evening"
    )
    options.scenario(polar)
    polar.add_argument(
        "--seed", type=whole(0), metavar="N", help="simulated rigs: another sky, gear and weather"
    )
    options.truth(polar)
    options.as_json(polar, "one JSON object, of measure and watch the last of several lines")
    polar.set_defaults(module="polar")


_FLATS = """Flats: the level of a panel and the exposure for each filter, and the frames. Of a cloth by day
the exposure alone is looked for; of the twilight sky each filter has its turn, exposures follow the light.

  plan     what a run would do: filters, window, exposures, questions, time
  run      searched, taken, with dark flats that match; --trial: one of each only
  advise   out of two or three trial frames a filter, from anywhere
  judge    flats as they are: clipped, uneven light, bands, and what changed from one to the next
  try      flats, or a master of them, on a light: its corners against its middle, before and after

Trials are CSV: filter,level,exposure_s,mean_adu. Windows are in per cent of full scale, or in ADU where they
go beyond 100. With a keeper for the rig a run is its errand, and its frames are kept; without one a simulated
rig is set up and gone through as fast as can be. 0: all filters done, or can be done; 3: some can't, with the
reason and the remedy; 2: bad input."""


def add_flats(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    flats = commands.add_parser(
        "flats",
        help="flats: planned, taken, levels and exposures advised",
        description=_FLATS,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    flats.add_argument("action", choices=["plan", "run", "advise", "judge", "try"])
    flats.add_argument(
        "files", nargs="*", metavar="FILE", help="advise: TRIALS.csv; judge: flats; try: a light, then flats"
    )
    flats.add_argument("--less", nargs="+", metavar="FILE", help="try: dark flats or bias, off each flat")
    flats.add_argument("--dark", nargs="+", metavar="FILE", help="try: darks or bias, taken off the light")
    flats.add_argument("--window", metavar="LO..HI", help="of the mean level (30..40 %%)")
    flats.add_argument(
        "--window-of",
        action="append",
        metavar="F,F=LO..HI",
        help="plan, run: another window for some filters, or for broadband or narrowband",
    )
    for name, least, words in (
        ("least", "shortest clean one", "panel's and camera's"),
        ("most", "longest", "30"),
    ):
        flats.add_argument(
            f"--{name}-exposure",
            type=number(above=0, most=3600),
            metavar="S",
            help=f"{least}; plan, run: else the {words}"
            if name == "least"
            else f"{least}; plan, run: {words}",
        )
    flats.add_argument("--levels", metavar="MIN..MAX", help="advise: the panel's whole steps in use")
    flats.add_argument(
        "--bias", type=number(0, 1e7), metavar="ADU", help="advise, judge: of a frame without light"
    )
    flats.add_argument(
        "--full-scale", type=number(above=0, most=1e7), metavar="ADU", help="advise, judge: the highest value"
    )
    flats.add_argument("--filters", metavar="F,F", help="plan, run: which; else all in the wheel")
    flats.add_argument("--count", type=whole(0, 500), metavar="N", help="plan, run: of each (30)")
    flats.add_argument("--dark-flats", type=whole(0, 500), metavar="N", help="plan, run: else as many")
    flats.add_argument(
        "--aim", type=number(above=0, most=100), metavar="%", help="plan, run: mean level (35)"
    )
    flats.add_argument("--binning", metavar="N,N", help="plan, run: one, or several after another (1)")
    flats.add_argument("--gain", type=whole(0), metavar="G", help="plan, run: else the lights'")
    flats.add_argument(
        "--source",
        choices=["panel", "person", "cloth", "twilight"],
        help="plan, run: of what light; else the panel as the rig has it",
    )
    flats.add_argument("--when", choices=["dusk", "dawn"], help="twilight: which; else the next")
    flats.add_argument("--stay", action="store_true", help="plan, run: nothing moves, no parking, no cover")
    flats.add_argument("--trial", action="store_true", help="run: one of each only, to look at")
    flats.add_argument("--ready", action="store_true", help="run: nothing is asked, the panel lies on")
    _taken_alone(flats)
    options.as_json(flats, "one JSON object, of run the last of several lines")
    flats.set_defaults(module="flats")


_MASTER = """One frame out of many of a kind: the mean of each pixel, without what lies more than 3 σ from its
median. Flats come to the same level first, and are 1 in the middle afterwards. What it was made of stands in
its header. 0: written; 2: bad input, with the first frame that doesn't belong."""


def add_master(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    master = commands.add_parser(
        "master",
        help="one frame out of many flats, darks or bias frames",
        description=_MASTER,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    master.add_argument("files", nargs="+", metavar="FILE", help="frames of one kind, or folders of them")
    master.add_argument(
        "--less", nargs="+", metavar="FILE", help="taken off each: dark flats or bias, or a master of them"
    )
    master.add_argument("--out", required=True, metavar="FILE", help="the master, FITS")
    options.as_json(master, "one JSON object")
    master.set_defaults(module="master")


_DARKS = """Darks and bias frames, with the telescope covered and the roof shut.

  plan   what lights and flats in the rig's folders still want, set by set, and how long it takes
  run    those sets, or the ones of --sets

Sets: "300 s x 20; 60 s x 20; bias x 50". With a keeper for the rig a run is its errand, and its frames are
kept; without one a simulated rig is gone through as fast as can be. 0: done, or nothing wanted; 3: not done,
or light in them; 2: bad input."""


def add_darks(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    darks = commands.add_parser(
        "darks",
        help="darks and bias frames: planned, taken",
        description=_DARKS,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    darks.add_argument("action", choices=["plan", "run"])
    darks.add_argument("--sets", metavar="SETS", help='"300 s x 20; bias x 50"; else what is wanted')
    darks.add_argument("--count", type=whole(1, 500), metavar="N", help="of each set that is wanted (20)")
    darks.add_argument("--dark", action="store_true", help="run: nothing is asked, the telescope is covered")
    _taken_alone(darks)
    options.as_json(darks, "one JSON object, of run the last of several lines")
    darks.set_defaults(module="darks")


def _taken_alone(parser: argparse.ArgumentParser) -> None:
    """Whose, and what a simulated rig is set up with where no keeper runs."""
    parser.add_argument("--rig", metavar="RIG", help="a rig's name or its file; the demo's where not given")
    parser.add_argument("--out", metavar="FOLDER", help="run without a keeper: its frames stay there")
    parser.add_argument(
        "--at", metavar="TIME", help="simulated rigs: when, UTC; else five hours into the evening"
    )
    options.scenario(parser)
    parser.add_argument(
        "--seed", type=whole(0), metavar="N", help="simulated rigs: another sky, gear and weather"
    )
    options.truth(parser)
    parser.set_defaults(quick=False)


_COVERAGE = """Which calibration frames lights have: darks, flats, dark flats and bias, by their headers.

Folders are read whole, lights and the others; without any the rig's own. 0: all is covered; 3: something is
missing, few or stale, with the reason; 2: bad input."""


def add_coverage(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    coverage = commands.add_parser(
        "coverage",
        help="which calibration frames the lights have",
        description=_COVERAGE,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    coverage.add_argument("folders", nargs="*", metavar="FOLDER", help="with frames; else the rig's own")
    coverage.add_argument("--rig", metavar="RIG", help="a rig's name or its file: its own folders too")
    for name, usual in (("darks", 20), ("flats", 30), ("dark-flats", 30), ("biases", 50)):
        coverage.add_argument(
            f"--{name}",
            type=whole(0),
            default=usual,
            metavar="N",
            help=f"wanted of each ({usual})",
        )
    coverage.add_argument(
        "--within-c", type=number(0.1, 20), default=1.0, metavar="C", help="the same temperature (1 °C)"
    )
    coverage.add_argument(
        "--within-deg",
        type=number(0.1, 45),
        default=2.0,
        metavar="DEG",
        help="the same camera angle (2°)",
    )
    coverage.add_argument(
        "--within-steps", type=whole(1), default=200, metavar="N", help="the same focus (200 steps)"
    )
    options.as_json(coverage, "one JSON object")
    coverage.set_defaults(module="coverage")
