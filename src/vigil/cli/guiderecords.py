"""`vigil guide study|replay`: guide records studied, and played again."""

import argparse
import json
from pathlib import Path
from typing import Any

from vigil.cli import OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, load_document, rig_path
from vigil.cli.rigchange import take_over
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.rig.guidevalues import advised_axis, study_values
from vigil.files.guidecsv import read_guide_record
from vigil.guiding.laws import AxisSettings
from vigil.guiding.record import BadRecord, GuideRecord
from vigil.guiding.replay import CantReplay, Replayed, replay
from vigil.guiding.split import split
from vigil.guiding.study import Study, calm, study


def of_a_record(args: argparse.Namespace) -> int:
    """0, or BadInput."""
    try:
        record = read_guide_record(Path(args.file))
        return _study(record, args) if args.action == "study" else _replay(record, args)
    except (BadRecord, CantReplay) as problem:
        raise BadInput(str(problem)) from None


def _study(record: GuideRecord, args: argparse.Namespace) -> int:
    """The advice becomes the rig's where that is asked for, as by the button beside a study."""
    taker = _taker(args.rig) if args.take_over else None
    found = study(record)
    print(json.dumps(summary(found)) if args.json else in_words(found))
    if taker is not None:
        rig, path = taker
        take_over(with_values(rig, study_values(found)), path)
    return OK


def _taker(name: str | None) -> tuple[Rig, Path]:
    path = rig_path(name or EXAMPLE_RIGS[0])
    rig = load_document(Rig, path)
    if rig.guider is None:
        raise BadInput(f"{rig.id} has no guider that could take the advice")
    return rig, path


def summary(found: Study) -> dict[str, Any]:
    """A study as plain values."""
    both = {"ra": found.ra, "dec": found.dec}
    waves = sorted(
        ((wave, name) for name, axis in both.items() for wave in axis.parts.waves),
        key=lambda item: -item[0].amplitude_arcsec,
    )
    return {
        "seeing_rms_arcsec": {name: round(axis.parts.seeing_rms_arcsec, 4) for name, axis in both.items()},
        "slow_rms_arcsec": {name: round(axis.parts.slow_rms_arcsec, 4) for name, axis in both.items()},
        "drift_arcsec_min": {name: round(axis.parts.drift_arcsec_min, 4) for name, axis in both.items()},
        "periodic": [
            {
                "axis": name,
                "period_s": round(wave.period_s, 2),
                "amplitude_arcsec": round(wave.amplitude_arcsec, 4),
            }
            for wave, name in waves
        ],
        "enough": found.enough,
        "missing": list(found.missing),
        "more_min": round(found.more_min, 1),
        "advice": {
            "exposure_s": found.exposure_s,
            **{name: advised_axis(axis) for name, axis in both.items()},
        },
        "predicted_rms_arcsec": _with_total({n: a.best.predicted_rms_arcsec for n, a in both.items()}),
        "predicted_slow_rms_arcsec": _with_total({n: a.best.promised_rms_arcsec for n, a in both.items()}),
        "predicted_error_arcsec": {n: round(a.best.error_arcsec, 4) for n, a in both.items()},
        "present_rms_arcsec": _with_total({n: a.present_rms_arcsec for n, a in both.items()}),
    }


def _with_total(by_axis: dict[str, float]) -> dict[str, float]:
    total = (by_axis["ra"] ** 2 + by_axis["dec"] ** 2) ** 0.5
    return {name: round(value, 4) for name, value in {**by_axis, "total": total}.items()}


def in_words(found: Study) -> str:
    """The same for people."""
    told = summary(found)
    lines = [
        f"{name}: seeing {told['seeing_rms_arcsec'][key]:.2f}″, "
        f"the mount {told['slow_rms_arcsec'][key]:.2f}″, drifting {told['drift_arcsec_min'][key]:+.2f}″/min"
        for name, key in (("right ascension", "ra"), ("declination", "dec"))
    ]
    lines += [
        f"a wave of {wave['period_s']:.0f} s and {wave['amplitude_arcsec']:.2f}″ in {wave['axis']}"
        for wave in told["periodic"]
    ]
    advice = told["advice"]
    lines.append(f"advice: exposures of {advice['exposure_s']:g} s")
    for name, key in (("right ascension", "ra"), ("declination", "dec")):
        axis = advice[key]
        lines.append(
            f"  {name}: {axis['law']}, strength {axis['strength']:g}, dead band {axis['dead_band_arcsec']:g}″"
            + (f", a worm of {axis['period_s']:g} s" if "period_s" in axis else "")
        )
    lines.append(
        f"with that {told['predicted_rms_arcsec']['total']:.2f}″ are to be expected, "
        f"{told['present_rms_arcsec']['total']:.2f}″ are in the record"
    )
    if not found.enough:
        lines.append(f"not enough yet: {'; '.join(found.missing)}: about {found.more_min:.0f} min more")
    return "\n".join(lines)


def _replay(record: GuideRecord, args: argparse.Namespace) -> int:
    exposure_s = args.exposure if args.exposure is not None else round(record.ra.step_s, 3)
    played: dict[str, Replayed] = {}
    for name, axis, law in (("ra", record.ra, args.ra_law), ("dec", record.dec, args.dec_law)):
        usual = AxisSettings()
        strength, band = getattr(args, f"{name}_strength"), getattr(args, f"{name}_dead_band_arcsec")
        settings = AxisSettings(
            law or usual.law,
            usual.strength if strength is None else strength,
            usual.dead_band_arcsec if band is None else band,
        )
        parts = split(axis.at_s, calm(axis.uncorrected_arcsec()))
        played[name] = replay(parts, settings, exposure_s, rate_arcsec_s=axis.rate_arcsec_s)
    told = {
        name: {
            "slow_rms_arcsec": round(p.slow_rms_arcsec, 4),
            "measured_rms_arcsec": round(p.measured_rms_arcsec, 4),
            "corrected_share": round(p.corrected_share, 3),
        }
        for name, p in played.items()
    }
    if args.json:
        print(json.dumps({"exposure_s": exposure_s, **told}))
        return OK
    for name, values in told.items():
        print(
            f"{name}: {values['slow_rms_arcsec']:.2f}″ of the mount's error left, "
            f"{values['measured_rms_arcsec']:.2f}″ as the guider sees it"
        )
    return OK
