"""`vigil master`: one frame out of many; `vigil flats judge` and `vigil flats try`: how good flats are."""

import argparse
import json
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from vigil.calibration.flatlook import look, set_faults
from vigil.cli import NOT_ALL, OK, BadInput
from vigil.files.fits import BadFrame, read_frame, write_frame
from vigil.files.masters import make_master, write_master
from vigil.files.trying import Choice, tried


def run(args: argparse.Namespace) -> int:
    """0 written; 2 bad input."""
    out = Path(args.out)
    try:
        dark, name = _less(args.less)
        made = make_master(_paths(args.files), dark, name)
        write_master(out, made)
    except (BadFrame, OSError) as problem:
        raise BadInput(str(problem)) from None
    told = {
        "kind": made.made.kind,
        "frames": len(made.sources),
        "left_out": round(made.left_out, 6),
        "subtracted": made.subtracted,
        "file": str(out),
    }
    words = f"{out}: {len(made.sources)} frames ({made.made.kind}), {100 * made.left_out:.2f} % left out"
    print(json.dumps(told, ensure_ascii=False) if args.json else words)
    return OK


def judge(args: argparse.Namespace) -> int:
    """0 all good; 3 something is wrong with one; 2 bad input."""
    if not args.files:
        raise BadInput("judge needs flats: vigil flats judge FILE…")
    looks, told = [], []
    for path in _paths(args.files):
        try:
            frame = read_frame(path)
            bayer = (
                str(frame.header.get("BAYERPAT", "")).strip() if frame.header.get("XBINNING", 1) == 1 else ""
            )
            found = look(frame.image.astype(np.float32), args.bias or 0.0, args.full_scale or 65535.0, bayer)
        except (BadFrame, ValueError) as problem:
            raise BadInput(str(problem) if isinstance(problem, BadFrame) else f"{path}: {problem}") from None
        looks.append(found)
        told.append({
            "file": str(path), "level_adu": round(found.level_adu, 1), "faults": found.faults(),
            "vignetting_percent": round(100 * found.vignetting, 2),
            "gradient_percent": round(100 * found.gradient, 2),
            "uneven_percent": round(100 * found.uneven, 2), "bands_percent": round(100 * found.bands, 3),
            "clipped": {name: round(share, 5) for name, share in found.clipped.items()},
        })  # fmt: skip
    of_set = set_faults(looks)
    if args.json:
        print(json.dumps({"flats": told, "set": of_set}, ensure_ascii=False))
    else:
        for one in told:
            said = (
                "; ".join(one["faults"]) or f"even, {one['vignetting_percent']:.0f} % darker in the corners"
            )
            print(f"{one['file']}: {one['level_adu']:.0f} ADU, {said}")
        print("\n".join(of_set))
    return NOT_ALL if of_set or any(one["faults"] for one in told) else OK


def try_on(args: argparse.Namespace) -> int:
    """0 tried; 2 bad input."""
    if len(args.files) < 2:
        raise BadInput("try needs a light and flats: vigil flats try LIGHT FLAT…")
    light, *flats = _paths(args.files)
    choice = Choice(light, tuple(flats), tuple(_paths(args.less or [])), tuple(_paths(args.dark or [])))
    try:
        found = tried(choice)
        if args.out:
            write_frame(Path(args.out), found.flattened, {"IMAGETYP": ("LIGHT", "flattened, to look at")})
    except (BadFrame, OSError) as problem:
        raise BadInput(str(problem)) from None
    told = {
        "corner_before": round(found.corner_before, 4),
        "corner_after": round(found.corner_after, 4),
        "distance": [round(v, 3) for v in found.distance],
        "before": [round(v, 4) for v in found.before],
        "after": [round(v, 4) for v in found.after],
    }
    before, after = (f"{100 * v:.1f} %" for v in (found.corner_before, found.corner_after))
    words = f"corners at {before} of the middle before, {after} after"
    print(json.dumps(told) if args.json else words)
    return OK


def _less(names: Sequence[str] | None) -> tuple["np.ndarray | float", str]:
    """What is taken off each frame: a master, or frames out of which one is made."""
    if not names:
        return 0.0, ""
    paths = _paths(names)
    if len(paths) == 1:
        return read_frame(paths[0]).image.astype(np.float32), paths[0].name
    made = make_master(paths)
    return made.image, f"mean of {len(paths)} ({made.made.kind})"


def _paths(names: Sequence[str]) -> list[Path]:
    """Files, and the FITS files of folders. Raises BadInput."""
    found: list[Path] = []
    for name in names:
        path = Path(name)
        if not path.exists():
            raise BadInput(f"{path}: there is no such file")
        found += sorted(p for p in path.rglob("*") if p.suffix.lower() in (".fits", ".fit", ".fts")) \
            if path.is_dir() else [path]  # fmt: skip
    return found
