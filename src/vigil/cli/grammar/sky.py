"""Targets, frames of sky, pictures and catalogues."""

import argparse

from vigil.cli.grammar import options
from vigil.cli.grammar.numbers import number, whole


def add_targets(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    targets = commands.add_parser("targets", help="what tonight offers, or what a search finds")
    targets.add_argument("--search", metavar="TEXT", help="a name, spelling forgiven, or a position")
    options.whose_night(targets)
    targets.add_argument("--narrowband", action="store_true", help="rank by brightness through line filters")
    targets.add_argument("--dusk", choices=["civil", "nautical", "astronomical"], default="astronomical")
    targets.add_argument(
        "--kind", action="append", metavar="KIND", help="only these, as galaxy; may be repeated"
    )
    targets.add_argument("--constellation", metavar="ABC", help="only there, as Ori")
    targets.add_argument("--larger", type=number(0), metavar="ARCMIN", help="only objects at least that long")
    targets.add_argument("--smaller", type=number(above=0), metavar="ARCMIN")
    targets.add_argument(
        "--above", type=number(0, 89), metavar="DEG", help="count the time above this altitude only"
    )
    targets.add_argument("--moon", type=number(0, 180), metavar="DEG", help="at least so far from the moon")
    targets.add_argument("--weights", metavar="W", help="as time=2,size=1,brightness=0.5 (1 each)")
    targets.add_argument("--most", type=whole(1), default=30, metavar="N", help="how many (30)")
    options.as_json(targets, "one JSON object")
    targets.set_defaults(module="targets")


def add_frame(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    frame = commands.add_parser("frame", help="panels of a target or a position, as they will be sent")
    frame.add_argument("target", metavar='TARGET|"RA DEC"')
    frame.add_argument("--columns", type=whole(1, 10), default=1, metavar="N", help="panels across (1)")
    frame.add_argument("--rows", type=whole(1, 10), default=1, metavar="N", help="panels up (1)")
    frame.add_argument("--cover", action="store_true", help="as many panels as cover the object")
    frame.add_argument(
        "--overlap", type=number(0, 90), default=20.0, metavar="PERCENT", help="the least anywhere (20)"
    )
    frame.add_argument(
        "--angle", type=number(-360, 360), metavar="DEG", help="position angle of the rows (0)"
    )
    frame.add_argument(
        "--lines", metavar="LINES", help='a panel\'s exposures, as "Ha 300 s x 12; L 60 s x 20"'
    )
    frame.add_argument(
        "--follow-sphere", action="store_true", help="each panel at an angle of its own: takes a rotator"
    )
    frame.add_argument("--keep", action="store_true", help="put it on the shelf")
    options.whose_night(frame)
    options.as_json(frame, "one JSON object")
    frame.set_defaults(module="frame")


def add_shelf(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    shelf = commands.add_parser(
        "shelf",
        help="framed targets kept for any night",
        description=_SHELF,
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    shelf.add_argument("action", choices=["list", "delete", "export", "import", "plan"])
    shelf.add_argument("words", nargs="*", metavar="WORD", help="what the action works on, see above")
    shelf.add_argument(
        "--column", action="append", metavar="OURS=THEIRS", help="import: which column is which"
    )
    shelf.add_argument("--rig", metavar="RIG", help="plan: whose; the demo's where not given")
    options.as_json(shelf, "one JSON object")
    shelf.set_defaults(module="shelf")


def add_solve(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    solve = commands.add_parser(
        "solve", help="find out what piece of sky pictures show (FITS, TIFF, PNG, JPEG)"
    )
    solve.add_argument("files", nargs="+", metavar="FILE")
    solve.add_argument("--near", metavar='"RA DEC"', help="where to look; else the header's RA and DEC")
    solve.add_argument(
        "--within", type=number(above=0, most=180), default=3.0, metavar="DEG", help="how far around (3)"
    )
    solve.add_argument(
        "--scale", metavar="MIN..MAX", help="arc-seconds a pixel; else from the header, ±20 %%"
    )
    solve.add_argument(
        "--blind", action="store_true", help="search the whole sky when that fails, or nothing is known"
    )
    solve.add_argument("--field", metavar="MIN..MAX", help="blind: shorter side in degrees (0.3..15)")
    solve.add_argument("--write", action="store_true", help="add the solution to the file's header (FITS)")
    solve.add_argument("--residuals", action="store_true", help="with --json: every matched star")
    solve.add_argument(
        "--jobs", type=whole(1, 256), metavar="N", help="files at a time; else as many as processors"
    )
    options.as_json(solve, "one JSON object a line a file")
    solve.set_defaults(module="solve")


def add_measure(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    measure = commands.add_parser("measure", help="star sizes and background of frames")
    measure.add_argument("files", nargs="+", metavar="FILE")
    options.as_json(measure, "one JSON object a line a file")
    measure.set_defaults(module="measure")


def add_ready(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    ready = commands.add_parser("ready", help="what a field without network needs, and whether it is here")
    ready.add_argument("--make", action="store_true", help="make what can be made: the sky table")
    options.as_json(ready, "one JSON object")
    ready.set_defaults(module="ready")


def add_catalogue(commands: "argparse._SubParsersAction[argparse.ArgumentParser]") -> None:
    catalogue = commands.add_parser("catalogue", help="a deeper star catalogue of your own")
    catalogue.add_argument("action", choices=["add", "show", "delete"])
    catalogue.add_argument("file", nargs="?", metavar="FILE", help="add: a CSV or FITS table")
    for what, words in (("ra", "right ascension"), ("dec", "declination"), ("mag", "magnitude")):
        catalogue.add_argument(f"--{what}", metavar="COLUMN", help=f"add: the column of the {words}")
    options.as_json(catalogue, "one JSON object")
    catalogue.set_defaults(module="catalogue")


_SHELF = """Framed targets with their panels, exposure lines and set-point, for any night.

  list                what is there
  delete NAME
  export FILE         as CSV
  import FILE         from CSV: Vigil's own columns, or a spreadsheet's list of targets
  plan NAME PLAN      put what is still to be taken of it into a plan, a block a panel"""
