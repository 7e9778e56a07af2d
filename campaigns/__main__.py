"""`./dev figures [NAME]`."""

import json
import sys

from campaigns import (
    coverage,
    crashes,
    flatlevels,
    flatsends,
    flips,
    focusing,
    focuslearning,
    focustroubles,
    fuzzing,
    guidecalibrations,
    guidednights,
    guidestars,
    guidestudies,
    guidetroubles,
    handovers,
    masters,
    matches,
    mosaicfields,
    nights,
    offers,
    physics,
    polardrift,
    polarframes,
    polarpersons,
    randomnights,
    refocusing,
    rigs,
    schedules,
    skyoracle,
    solving,
    starsizes,
    subexposures,
    turns,
    twilightflats,
    twokeepers,
    verdicts,
)

CAMPAIGNS = {
    "crashes": crashes.campaign,
    "findfocus": focusing.finding_campaign,
    "flips": flips.campaign,
    "focus": focusing.campaign,
    "focuslearning": focuslearning.campaign,
    "focustroubles": focustroubles.campaign,
    "fuzz": fuzzing.campaign,
    "guidecalibrations": guidecalibrations.campaign,
    "guidednights": guidednights.campaign,
    "coverage": coverage.campaign,
    "flatlevels": flatlevels.campaign,
    "flatsends": flatsends.campaign,
    "twilightflats": twilightflats.campaign,
    "masters": masters.campaign,
    "guidestars": guidestars.campaign,
    "guidestudies": guidestudies.campaign,
    "guidetroubles": guidetroubles.campaign,
    "matches": matches.campaign,
    "mosaics": mosaicfields.campaign,
    "sky": skyoracle.campaign,
    "solving": solving.campaign,
    "starsizes": starsizes.campaign,
    "nights": nights.campaign,
    "offers": offers.campaign,
    "polardrift": polardrift.campaign,
    "polarframes": polarframes.campaign,
    "polarpersons": polarpersons.campaign,
    "random": randomnights.campaign,
    "refocusing": refocusing.campaign,
    "rigs": rigs.campaign,
    "turns": turns.campaign,
    "physics": physics.campaign,
    "handovers": handovers.campaign,
    "schedules": schedules.campaign,
    "subexposures": subexposures.campaign,
    "twokeepers": twokeepers.campaign,
    "verdicts": verdicts.campaign,
}


def main(names: list[str]) -> int:
    unknown = [name for name in names if name not in CAMPAIGNS]
    if unknown:
        print(f"no campaign {', '.join(unknown)}; there are {', '.join(CAMPAIGNS)}", file=sys.stderr)
        return 2
    for name in names or CAMPAIGNS:
        print(json.dumps({name: CAMPAIGNS[name]()}, indent=1), flush=True)
    return 0


sys.exit(main(sys.argv[1:]))
