"""`vigil flats`: planned, taken, judged, tried, and out of trials from anywhere advised."""

import argparse
import json
from pathlib import Path

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.flatsjob import flats_job, window_range
from vigil.cli.master import judge, try_on
from vigil.files.trialscsv import read_trials
from vigil.levels.advice import FilterAdvice, Limits, advise
from vigil.levels.trials import Camera

_OF_ADVISE = ("levels", "bias", "full_scale")


def run(args: argparse.Namespace) -> int:
    """0: all filters done, or can be done; 3: some can't, each with its reason and what would help; 2: bad
    input."""
    if args.action == "advise":
        return _advise(args)
    if args.action == "judge":
        return judge(args)
    if args.action == "try":
        return try_on(args)
    for name in _OF_ADVISE:
        if getattr(args, name) is not None:
            raise BadInput(f"--{name.replace('_', '-')} goes with advise")
    if args.files:
        raise BadInput(f"{args.files[0]}: files go with advise, judge and try")
    return flats_job(args)


def _advise(args: argparse.Namespace) -> int:
    missing = [
        f"--{n.replace('_', '-')}"
        for n in (*_OF_ADVISE, "least_exposure", "most_exposure")
        if getattr(args, n) is None
    ]
    if len(args.files) != 1 or missing:
        lacking = ["TRIALS.csv"] if len(args.files) != 1 else []
        raise BadInput(f"advise needs {', '.join(lacking + missing)}")
    table = args.files[0]
    try:
        trials = read_trials(Path(table))
    except ValueError as problem:
        raise BadInput(str(problem)) from None
    if not trials:
        raise BadInput(f"{table}: no trial in it")
    low_level, high_level = window_range("--levels", args.levels, whole=True)
    low, high = window_range("--window", args.window or "30..40")
    camera = Camera(args.bias, args.full_scale)
    if not camera.bias_adu < camera.full_scale_adu:
        raise BadInput(f"--bias {args.bias:g} must lie under --full-scale {args.full_scale:g}")
    if args.least_exposure > args.most_exposure:
        raise BadInput(
            f"--least-exposure {args.least_exposure:g} is above --most-exposure {args.most_exposure:g}"
        )
    window = _window_adu(low, high, camera)
    limits = Limits(int(low_level), int(high_level), args.least_exposure, args.most_exposure, *window)
    found = advise(trials, camera, limits)
    if args.json:
        print(json.dumps({"filters": [one.told() for one in found]}, ensure_ascii=False))
    else:
        for one in found:
            print(_in_words(one, camera))
    return OK if all(one.feasible for one in found) else NOT_ALL


def _window_adu(low: float, high: float, camera: Camera) -> tuple[float, float]:
    """Up to 100 they are per cent of full scale, else ADU. Raises BadInput."""
    if high <= 100 < camera.full_scale_adu:
        low, high = camera.share_adu(low), camera.share_adu(high)
    if not camera.bias_adu < low < high <= camera.full_scale_adu:
        raise BadInput(
            f"--window {low:g}..{high:g} ADU must lie between the bias ({camera.bias_adu:g}) and full scale "
            f"({camera.full_scale_adu:g})"
        )
    return low, high


def _in_words(one: FilterAdvice, camera: Camera) -> str:
    if not one.feasible or one.predicted_mean_adu is None:
        return f"{one.filter}: {one.reason}. What would help: {one.change}"
    share = 100 * one.predicted_mean_adu / camera.full_scale_adu
    return (
        f"{one.filter}: level {one.level}, {one.exposure_s:g} s, {one.predicted_mean_adu:.0f} ADU "
        f"({share:.0f} %) ± {100 * one.sigma_share:.0f} %"
    )
