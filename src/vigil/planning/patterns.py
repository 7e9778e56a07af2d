"""Keeping pieces of a plan as patterns, and putting patterns into plans."""

from typing import Any

from vigil.documents.ids import stem_of, unused
from vigil.documents.pattern import Pattern
from vigil.documents.plan import Block, NightPlan, Target
from vigil.documents.rig import Rig
from vigil.documents.steps import MustHold
from vigil.planning.fitting import fit


def of_plan(plan: NightPlan, name: str) -> Pattern:
    """The whole plan."""
    return Pattern(
        name=name,
        of="plan",
        blocks=plan.blocks,
        opening=plan.opening,
        closing=plan.closing,
        orders=plan.orders,
    )


def of_block(block: Block, name: str, lines_only: bool = False) -> Pattern:
    """A block, or only its exposure lines."""
    return Pattern(name=name, of="lines" if lines_only else "block", blocks=[block])


def put_into(
    plan: NightPlan, pattern: Pattern, rig: Rig, target: Target | None = None, block_id: str = ""
) -> tuple[NightPlan, list[str]]:
    """The plan with the pattern in it, and a sentence for each thing that had to be left out.

    Its blocks take the `target` where one is given; lines go to the block `block_id` where one is named. What
    the rig lacks is left out and named. Openings and closings are merged: a step that is there already is not
    put in twice; standing orders come with a plan's pattern into an empty plan only. Raises ValueError for
    lines without a block or a target to go to.
    """
    whole = NightPlan(name=pattern.name, blocks=[_on(block, target) for block in pattern.blocks])
    fitting, said = fit(whole, rig)
    if pattern.of == "lines" and target is None:
        return _lines_into(plan, fitting, block_id, said), said
    blocks = list(plan.blocks)
    for block in fitting.blocks:
        blocks.append(with_own_ids(block, plan.model_copy(update={"blocks": blocks})))
    merged: dict[str, Any] = {
        "blocks": blocks,
        "opening": _merged(plan.opening, pattern.opening, plan),
        "closing": _merged(plan.closing, pattern.closing, plan),
    }
    if pattern.orders is not None and not plan.blocks:
        merged["orders"] = pattern.orders
    elif pattern.orders is not None and pattern.orders != plan.orders:
        said.append("the plan keeps its own standing orders")
    return plan.model_copy(update=merged), said


def _on(block: Block, target: Target | None) -> Block:
    return block if target is None else block.model_copy(update={"target": target})


def _lines_into(plan: NightPlan, fitting: NightPlan, block_id: str, said: list[str]) -> NightPlan:
    there = next((block for block in plan.blocks if block.id == block_id), None)
    if there is None:
        known = ", ".join(block.id for block in plan.blocks) or "none"
        raise ValueError(f"lines go to a block, or to a new target: no block {block_id!r}; there are {known}")
    if not fitting.blocks:
        return plan
    lines = with_own_ids(fitting.blocks[0].model_copy(update={"id": there.id}), plan, there.id).lines
    changed = there.model_copy(update={"lines": [*there.lines, *lines]})
    blocks = [changed if block.id == there.id else block for block in plan.blocks]
    return plan.model_copy(update={"blocks": blocks})


def with_own_ids(block: Block, plan: NightPlan, block_id: str = "") -> Block:
    """Frames count by ids: they are never another plan's."""
    own = block_id or unused(stem_of(block.target.name), {b.id for b in plan.blocks})
    lines_taken = {line.id for b in plan.blocks for line in b.lines}
    steps_taken = {step.id for step in plan.steps}
    lines, steps = [], []
    for line in block.lines:
        line_id = unused(f"{own}-{line.filter.casefold() or 'line'}", lines_taken)
        lines_taken.add(line_id)
        lines.append(line.model_copy(update={"id": line_id}))
    for step in block.steps:
        step_id = unused(f"{own}-{step.kind.replace(' ', '-')}", steps_taken)
        steps_taken.add(step_id)
        steps.append(step.model_copy(update={"id": step_id}))
    return block.model_copy(update={"id": own, "lines": lines, "steps": steps})


def _merged(there: list[Any], more: list[Any], plan: NightPlan) -> list[Any]:
    """What is there, and what of the other says something new."""
    merged = list(there)
    taken = {step.id for step in plan.steps}
    for item in more:
        if any(_same(item, other) for other in merged):
            continue
        if not isinstance(item, MustHold):
            item = item.model_copy(update={"id": unused(item.id, taken)})
            taken.add(item.id)
        merged.append(item)
    return merged


def _same(one: Any, other: Any) -> bool:
    if isinstance(one, MustHold) or isinstance(other, MustHold):
        return isinstance(one, MustHold) and isinstance(other, MustHold) and one.name == other.name
    return bool(one.model_dump(exclude={"id", "off"}) == other.model_dump(exclude={"id", "off"}))
