"""A plan made to fit another rig: what the rig lacks is left out, and named."""

from vigil.documents.plan import Block, ExposureLine, NightPlan
from vigil.documents.rig import Rig


def fit(plan: NightPlan, rig: Rig) -> tuple[NightPlan, list[str]]:
    """The plan with only what the rig can expose, and a sentence for each thing that had to change.

    A rig without filters takes each block's first line without one; lines through filters that a rig with
    filters lacks are left out, and blocks without lines too; gains and offsets become the rig's own.
    """
    has = rig.filter_names
    said: list[str] = []
    blocks = []
    for block in plan.blocks:
        lines = _lines(block, has, rig, said)
        if lines:
            blocks.append(block.model_copy(update={"lines": lines}))
        else:
            said.append(f"{block.target.name} is left out: {rig.name} has none of its filters")
    return plan.model_copy(update={"blocks": blocks}), said


def _lines(block: Block, has: list[str], rig: Rig, said: list[str]) -> list[ExposureLine]:
    if not has:
        filtered = [line.filter for line in block.lines if line.filter]
        if filtered:
            said.append(f"{block.target.name}: without filter, in place of {', '.join(filtered)}")
        return [_plain(block.lines[0], "")]
    if rig.wheel is not None and rig.wheel.kind == "drawer":
        has = has[:1]
    kept = []
    for line in block.lines:
        if line.filter in has:
            kept.append(_plain(line, line.filter))
        else:
            said.append(f"{block.target.name}: {line.words or 'no filter'} is left out, {rig.name} lacks it")
    return kept


def _plain(line: ExposureLine, name: str) -> ExposureLine:
    return line.model_copy(update={"filter": name, "gain": None, "offset": None})
