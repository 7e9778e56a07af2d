"""`vigil catalogue`: a deeper star catalogue of one's own."""

import argparse
import json
import shutil
from dataclasses import asdict
from pathlib import Path

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.files.owncatalogue import BadCatalogue, take_table, told
from vigil.runtime.folders import own_catalogue_folder


def run(args: argparse.Namespace) -> int:
    """0 done, 3 rows were left out."""
    own = own_catalogue_folder()
    if args.action == "add":
        return _add(args, own)
    if args.file is not None:
        raise BadInput(f"{args.action} needs no file")
    if args.action == "delete" and own.exists():
        shutil.rmtree(own)
    found = told(own)
    if args.json:
        print(json.dumps({"own": found}))
    elif found is None:
        print("no catalogue of your own; the one that ships with Vigil is used alone")
    else:
        print(f"{found['stars']:,} stars to magnitude {found['faintest_mag']} from {found['source']}")
    return OK


def _add(args: argparse.Namespace, own: Path) -> int:
    if args.file is None:
        raise BadInput("say which table to take: vigil catalogue add FILE")
    columns = {what: name for what in ("ra", "dec", "mag") if (name := getattr(args, what)) is not None}
    try:
        taken = take_table(Path(args.file), own, columns)
    except BadCatalogue as problem:
        raise BadInput(str(problem)) from None
    except OSError as problem:
        raise BadInput(f"{own} can't be written ({problem.strerror})") from None
    if args.json:
        print(json.dumps(asdict(taken)))
    else:
        print(f"{taken.stars:,} stars to magnitude {taken.faintest_mag:.1f} taken over")
        for reason in taken.reasons:
            print(f"left out: {reason}")
        if taken.left_out > len(taken.reasons):
            print(f"… and {taken.left_out - len(taken.reasons)} more")
    return NOT_ALL if taken.left_out else OK
