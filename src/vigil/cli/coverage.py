"""`vigil coverage`: which calibration frames the lights have, and which are missing or stale."""

import argparse
import json
from pathlib import Path
from typing import Any

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.documents.rig import Rig
from vigil.files.madeframes import made_frames
from vigil.ledger.framefolders import folders_with_frames
from vigil.levels.matching import Cover, Covered, Standing, Wanted, cover
from vigil.runtime.folders import ledger_file

_KINDS = (("dark", "dark"), ("flat", "flat"), ("dark flat", "dark_flat"), ("bias", "bias"))


def run(args: argparse.Namespace) -> int:
    """0: all lights are covered; 3: some aren't; 2: bad input."""
    folders = [Path(name) for name in args.folders]
    for folder in folders:
        if not folder.exists():
            raise BadInput(f"{folder}: there is no such folder")
    if not folders or args.rig:
        rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
        folders += folders_with_frames(rig, ledger_file())
    wanted = Wanted(
        darks=args.darks, flats=args.flats, dark_flats=args.dark_flats, biases=args.biases,
        within_c=args.within_c, within_deg=args.within_deg, within_steps=args.within_steps,
    )  # fmt: skip
    found = cover(made_frames(folder for folder in folders if folder.exists()), wanted)
    if args.json:
        print(json.dumps({"lights": [_told(one) for one in found]}, ensure_ascii=False))
    else:
        print("\n".join(_in_words(one) for one in found) or "no lights in these folders")
    whole = all(s.state is Cover.OK for one in found for s in _standings(one))
    return OK if whole else NOT_ALL


def _standings(one: Covered) -> list[Standing]:
    return [getattr(one, key) for _, key in _KINDS]


def _told(one: Covered) -> dict[str, Any]:
    light = one.light
    return {
        "target": light.target,
        "filter": light.filter,
        "exposure_s": light.exposure_s,
        "gain": light.gain,
        "offset": light.offset,
        "binning": light.binning,
        "temperature_c": light.temperature_c,
        "frames": one.frames,
        **{
            key: {"state": s.state.value, "have": s.have, "wanted": s.wanted, "reason": s.reason}
            for (_, key), s in zip(_KINDS, _standings(one), strict=True)
        },
    }


def _in_words(one: Covered) -> str:
    light = one.light
    cold = "" if light.temperature_c is None else f", {light.temperature_c:+.0f} °C".replace("-", "−")
    what = " ".join(part for part in (light.target or "no target", light.filter) if part)
    lines = [f"{what}: {one.frames} × {light.exposure_s or 0:g} s{cold}, binning {light.binning}"]
    for (name, _), standing in zip(_KINDS, _standings(one), strict=True):
        why = f": {standing.reason}" if standing.reason else ""
        lines.append(f"  {name:<9} {standing.state.value:<8} {standing.have} of {standing.wanted}{why}")
    return "\n".join(lines)
