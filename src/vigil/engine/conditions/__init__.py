"""The conditions of an exposure, in the order in which they are looked at.

Each module of this folder holds one or two; those that have a `place` are found by themselves.
"""

from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from vigil.documents.plan import Block, NightPlan
from vigil.documents.rig import Rig
from vigil.documents.steps import MustHold
from vigil.engine.check import Condition
from vigil.engine.steps import StepDone

_STEPS_PLACE = 145
"""A block's own steps: all is ready for its first frame, but for the filter and a dither."""


def conditions_for(
    rig: Rig, plan: NightPlan | None = None, block: Block | None = None
) -> tuple[Condition, ...]:
    """Those that the rig's parts make sense of, as the plan orders them, with the steps to be done once.

    What the plan's opening names comes first, in its order. Of the usual order: the side of the pier before
    tracking, since a tube that stands at its limit must not be set tracking there; focus before target, since
    blurred frames don't solve; the filter last, since both use their own and put back nothing.
    """
    usual = [condition for condition in every_condition() if condition.wanted(rig)]
    if plan is None:
        return tuple(usual)
    by_name = {condition.name: condition for condition in usual}
    named = {item.name for item in plan.conditions}
    first: list[Condition] = []
    for item in plan.opening:
        if isinstance(item, MustHold):
            first += [by_name[item.name]] if not item.off and item.name in by_name else []
        elif not item.off:
            first.append(StepDone(item))
    rest = [condition for condition in usual if condition.name not in named]
    steps = [StepDone(step) for step in block.steps if not step.off] if block is not None else []
    before = [condition for condition in rest if condition.place < _STEPS_PLACE]
    return (*first, *before, *steps, *rest[len(before) :])


@cache
def every_condition() -> tuple[Condition, ...]:
    """One of each kind, by their places."""
    found = []
    for module in iter_modules(__path__):
        loaded = import_module(f"{__name__}.{module.name}")
        kinds = [kind for kind in vars(loaded).values() if isinstance(kind, type)]
        found += [k() for k in kinds if k.__module__ == loaded.__name__ and hasattr(k, "place")]
    return tuple(sorted(found, key=lambda condition: condition.place))
