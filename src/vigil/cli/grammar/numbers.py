"""Numbers on the command line: finite, and within bounds that a refusal names."""

import argparse
import math
from collections.abc import Callable


def number(
    least: float | None = None, most: float | None = None, above: float | None = None
) -> Callable[[str], float]:
    """An argparse type: from `least` or over `above`, up to `most`."""

    def read(text: str) -> float:
        try:
            value = float(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"{text!r} is no number") from None
        if not math.isfinite(value) or not _within(value, least, most, above):
            raise argparse.ArgumentTypeError(f"{text} can't be; {_bounds(least, most, above)}")
        return value

    return read


def whole(least: int, most: int | None = None) -> Callable[[str], int]:
    """An argparse type: a whole number from `least`, up to `most`."""

    def read(text: str) -> int:
        try:
            value = int(text)
        except ValueError:
            raise argparse.ArgumentTypeError(f"{text!r} is no whole number") from None
        if not _within(value, least, most, None):
            raise argparse.ArgumentTypeError(f"{text} can't be; {_bounds(least, most, None)}")
        return value

    return read


def _within(value: float, least: float | None, most: float | None, above: float | None) -> bool:
    return (
        (least is None or value >= least)
        and (most is None or value <= most)
        and (above is None or value > above)
    )


def _bounds(least: float | None, most: float | None, above: float | None) -> str:
    low = f"over {above:g}" if above is not None else "" if least is None else f"{least:g} or more"
    if most is None:
        return f"give {low or 'a finite number'}"
    if not low:
        return f"give {most:g} or less"
    return f"give {low}, up to {most:g}" if above is not None else f"give {least:g} to {most:g}"
