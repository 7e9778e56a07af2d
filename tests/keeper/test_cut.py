"""A night cut between two of its events, and taken up: a sample of the campaign."""

from pathlib import Path

import pytest

from campaigns import crashes
from vigil.documents.events import Kind


@pytest.mark.parametrize("ahead", [True, False])
def test_cut_when_a_frame_was_exposed_and_not_yet_recorded(tmp_path: Path, ahead: bool) -> None:
    """Its file is there already; or it isn't, and the frame is taken again."""
    bench = crashes.night(0, tmp_path)
    whole = crashes.played(bench)
    assert crashes.wrong(bench.plan, whole, bench.frames) == []
    kept = bench.on_disk()
    cut = next(c for c in bench.cuts if c.events[-1].kind is Kind.EXPOSURE_ENDED)
    bench.restore(cut, kept, ahead)
    after = crashes.played(bench, cut)
    assert crashes.wrong(bench.plan, after, bench.frames) == []
    assert any("found whole after the crash" in e.reason for e in after) is ahead


def test_cut_while_a_frame_was_guided(tmp_path: Path) -> None:
    """Guiding is unknown then: it is begun again before the next frame, by the calibration that is kept."""
    bench = crashes.night(1, tmp_path)
    bench.guides = True
    block = bench.plan.blocks[0]
    lines = [line.model_copy(update={"count": 2}) for line in block.lines]
    bench.plan = bench.plan.model_copy(update={"blocks": [block.model_copy(update={"lines": lines})]})
    whole = crashes.played(bench)
    assert crashes.wrong(bench.plan, whole, bench.frames) == []
    kept = bench.on_disk()
    cut = next(c for c in bench.cuts if c.events[-1].kind is Kind.EXPOSURE_STARTED)
    bench.restore(cut, kept, ahead=False)
    after = crashes.played(bench, cut)
    assert crashes.wrong(bench.plan, after, bench.frames) == []
    told = [e.reason for e in after[len(cut.events) :] if e.kind is Kind.GUIDED]
    assert any("guiding by" in words for words in told)
    assert not any("calibrating" in words for words in told)
