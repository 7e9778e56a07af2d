"""Filters and what holds them."""

from collections.abc import Iterator

from vigil.documents.rig import Rig
from vigil.planning.muster.finding import Finding, Known, Remedy


def findings(rig: Rig, known: Known) -> Iterator[Finding]:
    """Everything about the set in use."""
    wheel = rig.wheel
    if wheel is None:
        return
    at = [s.name for s in wheel.sets].index(wheel.in_use)
    chosen = wheel.sets[at]
    reference = chosen.reference or chosen.focus_through
    letters: dict[str, str] = {}
    for n, part in enumerate(chosen.filters):
        place = ("wheel", "sets", at, "filters", n)
        if wheel.kind == "wheel" and part.slot is None:
            yield Finding((*place, "slot"), f"{part.name} stands in no slot: the wheel can't turn to it.")
        if part.letter and part.letter in letters:
            yield Finding(
                (*place, "letter"),
                f"{part.letter!r} is short for {letters[part.letter]} and {part.name} both.",
            )
        letters.setdefault(part.letter, part.name)
        if part.name == reference and part.focus_offset_steps:
            yield Finding(
                (*place, "focus_offset_steps"),
                f"Offsets count from {part.name}, whose own must be 0, not {part.focus_offset_steps}.",
                remedy=Remedy("Set to 0", 0),
            )
        elif part.focus_offset_steps and rig.focuser is None:
            yield Finding(
                (*place, "focus_offset_steps"),
                f"{part.name} wants the focuser moved by {part.focus_offset_steps} steps, and there is none.",
            )
        elif rig.focuser is not None:
            room = (rig.focuser.highest - rig.focuser.lowest) / 4
            if abs(part.focus_offset_steps) > room:
                yield Finding(
                    (*place, "focus_offset_steps"),
                    f"{part.name} wants the focuser moved by {part.focus_offset_steps} steps, "
                    "more than a quarter "
                    f"of its range of {rig.focuser.highest - rig.focuser.lowest}.",
                )
        if part.gain is not None and rig.camera is not None:
            points = next(m for m in rig.camera.readout_modes if m.name == rig.camera.readout_mode).gains
            if not points[0].gain <= part.gain <= points[-1].gain:
                yield Finding(
                    (*place, "gain"),
                    f"{rig.camera.gain_is} {part.gain} for {part.name} lies outside what is known "
                    "of the sensor, "
                    f"{points[0].gain} to {points[-1].gain}.",
                )
