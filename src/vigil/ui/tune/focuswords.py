"""A focus run in words and numbers."""

from typing import Any

from vigil.documents.focusruns import FocusRun
from vigil.focusing.fit import Curve
from vigil.ui import words


def result_words(run: FocusRun) -> str:
    """What came of a run, for people."""
    reason = str(run.figures.get("reason") or run.said)
    if run.best is not None:
        outcome = "Accepted"
    else:
        outcome = "Refused" if run.figures else f"{run.outcome[:1].upper()}{run.outcome[1:]}"
    return f"{outcome}: {reason}."


def facts_of(run: FocusRun, scale_arcsec_px: float | None) -> list[tuple[str, str]]:
    """A run's numbers."""
    told, facts = run.figures, []
    if run.best is not None:
        low, high = told["interval_95"]
        facts += [("position, 95 %", f"{run.best}, {low:.0f} to {high:.0f}")]
        size = told["size_px"]
        facts += [
            ("star size", f"{size:.2f} px" + (f", {size * scale_arcsec_px:.2f}″" if scale_arcsec_px else ""))
        ]
        if told.get("fwhm_px") and scale_arcsec_px:
            facts += [("seeing (FWHM)", f"{told['fwhm_px'] * scale_arcsec_px:.1f}″")]
        facts += [("scatter", f"{100 * told['residual']:.1f} %")]
    if told.get("temperature_c") is not None:
        facts += [("temperature", f"{words.signed(told['temperature_c'])} °C")]
    if told.get("frames"):
        facts += [("took", f"{told['frames']} frames, {words.duration(told['seconds'])}")]
    return facts


def curve_of(figures: dict[str, Any]) -> Curve | None:
    """A run's curve from the figures of its end."""
    if figures.get("best") is None or figures.get("best_px") is None:
        return None
    low, high = figures["interval_95"]
    return Curve(
        figures["best"], (low, high), figures["best_px"], figures["slope_px_step"], figures["residual"]
    )
