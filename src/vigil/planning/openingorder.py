"""A plan's own order of its conditions: as it stands, with one moved, switched off or on."""

from collections.abc import Collection, Sequence

from vigil.documents.conditions import KNOWN, wrong_order
from vigil.documents.steps import MustHold, OpeningItem


def in_order(opening: Sequence[OpeningItem]) -> list[MustHold]:
    """All conditions: those that the plan names, then the others in the usual order."""
    named = [item for item in opening if isinstance(item, MustHold)]
    names = {item.name for item in named}
    return named + [MustHold(name=known.name) for known in KNOWN if known.name not in names]


def switched(opening: Sequence[OpeningItem], name: str, off: bool) -> list[OpeningItem]:
    """With a condition off, or on again: in its own place where it can stand there, else in the usual one."""
    if any(isinstance(item, MustHold) and item.name == name for item in opening):
        changed: list[OpeningItem] = [
            item.model_copy(update={"off": off}) if isinstance(item, MustHold) and item.name == name else item
            for item in opening
        ]
        if wrong_order([item for item in changed if isinstance(item, MustHold)]):
            changed = [i for i in opening if not isinstance(i, MustHold) or i.name != name]
    else:
        changed = [*opening, MustHold(name=name, off=off)]
    return _tidied(changed)


def moved(opening: Sequence[OpeningItem], name: str, by: int, shown: Collection[str]) -> list[OpeningItem]:
    """With a condition before (negative) or behind its neighbour of those `shown`. Steps stay behind the
    condition that they stood behind."""
    order = in_order(opening)
    places = [n for n, item in enumerate(order) if item.name in shown]
    here = next(n for n, place in enumerate(places) if order[place].name == name)
    there = here + by
    if not 0 <= there < len(places):
        return list(opening)
    item = order.pop(places[here])
    order.insert(places[there], item)
    changed: list[OpeningItem] = _steps_after(opening, "")
    for condition in order:
        changed += [condition, *_steps_after(opening, condition.name)]
    return _tidied(changed)


def _steps_after(opening: Sequence[OpeningItem], name: str) -> list[OpeningItem]:
    """The steps between a condition and the next one; those before all without a name."""
    found: list[OpeningItem] = []
    here = ""
    for item in opening:
        if isinstance(item, MustHold):
            here = item.name
        elif here == name:
            found.append(item)
    return found


def _tidied(opening: Sequence[OpeningItem]) -> list[OpeningItem]:
    """Conditions at the end that are where they usually are needn't be named."""
    left = list(opening)
    wanted = [(item.name, item.off) for item in in_order(opening)]
    while left and isinstance(left[-1], MustHold):
        if [(item.name, item.off) for item in in_order(left[:-1])] != wanted:
            break
        left.pop()
    return left
