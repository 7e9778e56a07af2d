"""A night's frame taken up again on another night, from its file alone: the area the two have in common."""

import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from campaigns.demo import quick_rig, short_plan
from campaigns.figures import run_campaign
from campaigns.night import Played, play
from vigil.documents.events import Event, Kind
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.rig.mount import RotatorPart
from vigil.files.fits import plane_shape, read_header, read_wcs
from vigil.optics.footprint import Footprint
from vigil.planning.matching import away_from, earlier_frame
from vigil.planning.offer import field_of

SEEDS = range(1, 7)


def at_place(ra_deg: float, dec_deg: float, angle_deg: float) -> NightPlan:
    """Two frames at a place and an angle."""
    plan = short_plan(count=1)
    (block,) = plan.blocks
    update = {"ra_deg": ra_deg, "dec_deg": dec_deg, "position_angle_deg": angle_deg}
    target = block.target.model_copy(update=update)
    return plan.model_copy(update={"blocks": [block.model_copy(update={"target": target})]})


def match_again(seed: int, by_hand: bool) -> dict[str, Any]:
    """Two nights; each frame of the second against where the first one truly lay."""
    dice = np.random.default_rng(seed)
    where = 79.0 + dice.uniform(-1, 1), 34.4 + dice.uniform(-1, 1)
    turned = quick_rig(rotator=RotatorPart(name="Turnstile"))
    rig = quick_rig() if by_hand else turned
    with tempfile.TemporaryDirectory() as folder:
        first, lay = _played(turned, at_place(*where, dice.uniform(0, 180)), Path(folder) / "1", seed)
        light = Path(first.frames[0]["path"])
        header = read_header(light)
        wcs = read_wcs(header, plane_shape(header))
        assert wcs is not None, "every light is solved"
        foot = earlier_frame(header, wcs).footprint
        again = at_place(foot.ra_deg, foot.dec_deg, foot.position_angle_deg % 180)
        _, there = _played(rig, again, Path(folder) / "2", seed + 100, dice if by_hand else None)
    away = [away_from(lay[0], frame) for frame in there]
    return {
        "seed": seed,
        "by": "hand" if by_hand else "rotator",
        "frames": len(away),
        "worst_arcsec": round(max(a.arcsec for a in away), 2),
        "worst_turn_deg": round(max(abs(a.turn_deg) for a in away), 3),
        "least_common": round(min(a.common for a in away), 5),
    }


def _played(
    rig: Rig, plan: NightPlan, out: Path, seed: int, hand: np.random.Generator | None = None
) -> tuple[Played, list[Footprint]]:
    """A night, and where each of its frames truly lay. `hand` is a person's, who turns a tenth and half a
    degree too little or too far."""
    lay: list[Footprint] = []

    def look(event: Event, played: Played) -> None:
        truth = played.truth
        if event.kind is Kind.EXPOSURE_STARTED:
            lay.append(Footprint(*truth.pointing_deg(), truth.position_angle_deg() % 360, *field_of(rig)))
        asked = event.kind is Kind.ACTIVITY_STEP and event.values["kind"] == "turn by hand"
        if hand is not None and asked and abs(event.values["turn_deg"]) > event.values["limit_deg"]:
            turn = event.values["turn_deg"]
            truth.gear.state.rotator_deg += turn * hand.uniform(0.9, 1.1) + hand.normal(0, 0.5)

    out.mkdir()
    return play(rig, plan, out, seed, on_event=look), lay


def campaign() -> dict[str, Any]:
    """By rotator and by hand."""
    items = [
        (f"{'hand' if by_hand else 'rotator'}, seed {seed}", lambda s=seed, h=by_hand: match_again(s, h))
        for by_hand in (False, True)
        for seed in SEEDS
    ]
    return run_campaign("matches", items, _summary)


def _summary(found: list[dict[str, Any]]) -> dict[str, Any]:
    told = {}
    for by in ("rotator", "hand"):
        of = [f for f in found if f["by"] == by]
        told[by] = {
            "matches": len(of),
            "frames": sum(f["frames"] for f in of),
            "least_common": min(f["least_common"] for f in of),
            "worst_turn_deg": max(f["worst_turn_deg"] for f in of),
            "worst_arcsec": max(f["worst_arcsec"] for f in of),
        }
    return told
