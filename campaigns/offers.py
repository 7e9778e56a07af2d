"""The first forty that tonight offers: for the example rigs, in three months, in both kinds of light."""

from datetime import UTC, datetime
from typing import Any, get_args

from campaigns.figures import run_campaign
from campaigns.rigs import example
from vigil.cli.files import EXAMPLE_RIGS
from vigil.planning.offer import Light, Wish, rank, whole_catalogue

MONTHS, FIRST = (1, 5, 9), 40


def offered(rig_name: str, month: int, light: Light) -> dict[str, Any]:
    """One night's list, in words."""
    at = datetime(2027, month, 12, 22, tzinfo=UTC)
    found = rank(whole_catalogue(), example(rig_name), at, Wish(light=light), most=FIRST)
    return {
        "moon_lit": round(found.moon_lit, 2),
        "dark_h": round(found.dark_h, 1),
        "first": [
            f"{o.score:.2f} {o.entry.name}"
            + (f" ({o.entry.common_names[0]})" if o.entry.common_names else "")
            + f", {o.entry.kind}, {o.entry.major_arcmin:g}′, {o.hours:.1f} h up to {o.highest_deg:.0f}°"
            for o in found.offers
        ],
        "known_by_sight": sum(o.entry.showpiece for o in found.offers),
        "ties": FIRST - len({o.score for o in found.offers}),
    }


def campaign() -> dict[str, Any]:
    """Three rigs, three months, broadband and narrowband."""
    items = [
        (f"{rig}, 2027-{month:02d}-12, {light}", lambda r=rig, m=month, k=light: offered(r, m, k))
        for rig in EXAMPLE_RIGS
        for month in MONTHS
        for light in get_args(Light)
    ]
    return run_campaign("offers", items, _summary)


def _summary(found: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "lists": len(found),
        "fewest_known_by_sight_of_40": min(f["known_by_sight"] for f in found),
        "ties": sum(f["ties"] for f in found),
    }
