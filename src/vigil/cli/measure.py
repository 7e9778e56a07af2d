"""`vigil measure`: star sizes and background of frames."""

import argparse
import json
import math
import sys
from pathlib import Path
from typing import Any

from vigil.cli import BAD_INPUT, NOT_ALL, OK
from vigil.files.fits import BadFrame, read_frame
from vigil.imaging.measuring import measure_image

_FULL_SCALE_ADU = 65535.0
_SHOWN = ("stars", "hfr_px", "fwhm_px", "elongation", "background_adu", "noise_adu", "saturated")


def run(args: argparse.Namespace) -> int:
    """0 all measured, 3 some without stars, 2 some can't be read."""
    status = OK
    for name in args.files:
        try:
            frame = read_frame(Path(name))
            figures = measure_image(frame.image, _FULL_SCALE_ADU, mosaic="BAYERPAT" in frame.header)
        except (BadFrame, ValueError) as problem:
            print(f"vigil: {problem}", file=sys.stderr)
            status = BAD_INPUT
            continue
        values: dict[str, Any] = {"file": name}
        for key in _SHOWN:
            value = getattr(figures, key)
            values[key] = None if isinstance(value, float) and math.isnan(value) else value
        print(json.dumps(values) if args.json else _in_words(values))
        if figures.stars == 0 and status == OK:
            status = NOT_ALL
    return status


def _in_words(values: dict[str, Any]) -> str:
    sky = f"background {values['background_adu']:.1f} ADU, noise {values['noise_adu']:.1f}"
    if values["hfr_px"] is None:
        return f"{values['file']}: no stars; {sky}"
    width = "" if values["fwhm_px"] is None else f"FWHM {values['fwhm_px']:.2f} px, "
    return (
        f"{values['file']}: {values['stars']} stars, HFR {values['hfr_px']:.2f} px, "
        f"{width}elongation {values['elongation']:.2f}, "
        f"{values['saturated']} saturated; {sky}"
    )
