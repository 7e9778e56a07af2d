"""A night shared out among what could be exposed, so that most useful hours come of it."""

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np
from numpy.typing import NDArray
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_array

Floats = NDArray[np.float64]
_GAP = 1e-3
"""Of the optimum, that the search may stop at."""
_ROUNDS, _STRETCHES = 2, (8, 4, 2, 1)
IDLE = -1


@dataclass(frozen=True, slots=True)
class Option:
    """Something to expose: a target through a filter. `worth` says for each slot of the night what an hour
    there counts for (0: it can't be had), `wanted_h` how many hours are wanted of it, `weight` what its hours
    count against others'. Going over to another `target` costs more than to another filter."""

    name: str
    target: str
    worth: Floats
    wanted_h: float
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class Costs:
    """Hours that nothing is exposed in: at the begin of a stretch on another target, at another filter; and
    the share of the rest that goes on readout and dithers."""

    target_h: float
    filter_h: float
    between_share: float = 0.0


@dataclass(frozen=True, slots=True)
class Shared:
    """`choice` is an option's number for each slot, or IDLE; `value` the weighted useful hours, `useful_h`
    the hours exposed weighed by their worth alone. `proven` where the search came to its end."""

    choice: tuple[int, ...]
    value: float
    useful_h: float
    proven: bool = True


def value_of(choice: Sequence[int], options: Sequence[Option], slot_h: float, costs: Costs) -> Shared:
    """What a choice comes to. A slot gives its hours less what begins in it costs, each worth what the option
    is worth there. Where more slots are chosen than an option wants hours, its best ones count."""
    given: dict[int, list[tuple[float, float]]] = {}
    before = IDLE
    for slot, number in enumerate(choice):
        # nothing begins where it can't be had
        k = number if number != IDLE and options[number].worth[slot] > 0 else IDLE
        if k != IDLE:
            exposed = max(0.0, slot_h - _begins_h(before, k, options, costs)) * (1 - costs.between_share)
            given.setdefault(k, []).append((float(options[k].worth[slot]), exposed))
        before = k
    value = useful = 0.0
    for k, slots in given.items():
        left = options[k].wanted_h
        for worth, exposed in sorted(slots, reverse=True):
            taken = min(exposed, left)
            left -= taken
            useful += taken * worth
            value += taken * worth * options[k].weight
    return Shared(tuple(choice), value, useful)


def _begins_h(before: int, k: int, options: Sequence[Option], costs: Costs) -> float:
    if before == k:
        return 0.0
    if before != IDLE and options[before].target == options[k].target:
        return costs.filter_h
    return costs.target_h


def greedy(options: Sequence[Option], slot_h: float, costs: Costs, least_slots: int = 1) -> Shared:
    """Slot after slot what is worth most there, what it costs to begin reckoned in; what was begun goes on
    for so many slots at least, where it can."""
    slots = len(options[0].worth) if options else 0
    choice: list[int] = []
    had = [0.0] * len(options)
    before, long = IDLE, 0
    for slot in range(slots):
        gains = []
        for k, option in enumerate(options):
            exposed = max(0.0, slot_h - _begins_h(before, k, options, costs)) * (1 - costs.between_share)
            exposed = min(exposed, max(0.0, option.wanted_h - had[k]))
            gains.append(exposed * float(option.worth[slot]) * option.weight)
        best = int(np.argmax(gains)) if gains else IDLE
        may_go_on = before != IDLE and options[before].worth[slot] > 0
        if best != before and ((long < least_slots and may_go_on) or slots - slot < least_slots):
            best = before if may_go_on else IDLE
        if best == IDLE or not gains[best] > 0:
            best = IDLE
        else:
            exposed = max(0.0, slot_h - _begins_h(before, best, options, costs)) * (1 - costs.between_share)
            had[best] += min(exposed, max(0.0, options[best].wanted_h - had[best]))
        choice.append(best)
        long = long + 1 if best == before else 1
        before = best
    return value_of(choice, options, slot_h, costs)


def share_out(
    options: Sequence[Option], slot_h: float, costs: Costs, most_s: float = 5.0, least_slots: int = 1
) -> Shared:
    """The best choice for every slot: a mixed-integer linear program (Wolsey, Integer Programming, 2020) over
    options by slots, with one variable for each begin. Never worse than `greedy`. With `least_slots` 2 what
    begins goes on for two slots at least.

    Where the time is over before the search has come to its end, the greedy choice is taken if it is better.
    """
    simple = greedy(options, slot_h, costs, least_slots)
    live = [k for k, o in enumerate(options) if float(np.max(o.worth, initial=0.0)) > 0 and o.wanted_h > 0]
    if not live:
        return simple
    found = _solved([options[k] for k in live], slot_h, costs, most_s, least_slots)
    proven = found is not None and found[1]
    tried = [simple]
    if found is not None:
        choice = [IDLE if k == IDLE else live[k] for k in found[0]]
        tried.append(value_of(choice, options, slot_h, costs))
    best = max(tried, key=lambda shared: shared.value)
    if not proven:
        best = _bettered(best, options, live, slot_h, costs, least_slots)
    best = value_of(_filled(list(best.choice), options, slot_h, costs), options, slot_h, costs)
    return Shared(best.choice, best.value, best.useful_h, proven)


def _bettered(
    shared: Shared, options: Sequence[Option], live: list[int], slot_h: float, costs: Costs, least_slots: int
) -> Shared:
    """A choice improved by giving stretches of it to another option, as long as that helps: for what the
    program had no time to find."""
    best, slots = shared, len(shared.choice)
    for _ in range(_ROUNDS):
        before = best.value
        for long in _STRETCHES:
            for first in range(max(0, slots - long + 1)):
                for k in live:
                    choice = (*best.choice[:first], *[k] * long, *best.choice[first + long :])
                    if choice == best.choice or not options[k].worth[first : first + long].any():
                        continue
                    if least_slots > 1 and _shortest(choice) < least_slots:
                        continue
                    trial = value_of(choice, options, slot_h, costs)
                    if trial.value > best.value + 1e-9:
                        best = trial
        if best.value <= before + 1e-9:
            break
    return best


def _shortest(choice: Sequence[int]) -> int:
    """Slots of the shortest stretch of anything."""
    runs = [len(list(run)) for k, run in groupby(choice) if k != IDLE]
    return min(runs, default=len(choice))


def _filled(choice: list[int], options: Sequence[Option], slot_h: float, costs: Costs) -> list[int]:
    """Slots that give nothing are left free: what was wanted is had before."""
    whole = value_of(choice, options, slot_h, costs).value
    for slot, k in enumerate(choice):
        if k != IDLE:
            without = [*choice[:slot], IDLE, *choice[slot + 1 :]]
            if value_of(without, options, slot_h, costs).value >= whole - 1e-12:
                choice = without
    return choice


def _solved(
    options: list[Option], slot_h: float, costs: Costs, most_s: float, least_slots: int
) -> tuple[list[int], bool] | None:
    """Variables: e[k, t], the hours exposed of option k in slot t; x[k, t], whether the slot is its; s[k, t]
    its begin after another target, f[k, t] after another filter of its target."""
    slots, count = len(options[0].worth), len(options)
    share = 1 - costs.between_share
    n = count * slots

    def at(block: int, k: int, t: int) -> int:
        return block * n + k * slots + t

    exposed, here, begun, changed = range(4)
    cost = np.zeros(4 * n)
    for k, option in enumerate(options):
        cost[exposed * n + k * slots : exposed * n + (k + 1) * slots] = -option.weight * option.worth
    rows, columns, values = list[int](), list[int](), list[float]()
    low, high = list[float](), list[float]()

    def row(terms: list[tuple[int, float]], least: float, most: float) -> None:
        number = len(low)
        for column, value in terms:
            rows.append(number)
            columns.append(column)
            values.append(value)
        low.append(least)
        high.append(most)

    same = {k: [j for j, o in enumerate(options) if o.target == options[k].target] for k in range(count)}
    for t in range(slots):
        row([(at(here, k, t), 1.0) for k in range(count)], 0, 1)
        for k in range(count):
            # e ≤ share (slot − begin): what is left of the slot
            row(
                [
                    (at(exposed, k, t), 1.0),
                    (at(here, k, t), -share * slot_h),
                    (at(begun, k, t), share * min(costs.target_h, slot_h)),
                    (at(changed, k, t), share * min(costs.filter_h, slot_h)),
                ],
                -np.inf,
                0,
            )
            before = [(at(here, k, t - 1), -1.0)] if t else []
            row(
                [(at(here, k, t), 1.0), (at(begun, k, t), -1.0), (at(changed, k, t), -1.0), *before],
                -np.inf,
                0,
            )
            if least_slots > 1:
                after = [(at(here, k, t + 1), -1.0)] if t + 1 < slots else []
                row([(at(begun, k, t), 1.0), (at(changed, k, t), 1.0), *after], -np.inf, 0)
            # another filter only follows on its own target
            others = [(at(here, j, t - 1), -1.0) for j in same[k] if j != k] if t else []
            row([(at(changed, k, t), 1.0), *others], -np.inf, 0)
    for k, option in enumerate(options):
        row([(at(exposed, k, t), 1.0) for t in range(slots)], 0, option.wanted_h)
    upper = np.ones(4 * n)
    upper[:n] = slot_h
    for k, option in enumerate(options):
        none = np.flatnonzero(option.worth <= 0)
        upper[here * n + k * slots + none] = 0
        upper[none + k * slots] = 0
    whole = np.zeros(4 * n)
    whole[here * n : (here + 1) * n] = 1
    solved = milp(
        cost,
        constraints=LinearConstraint(
            coo_array((values, (rows, columns)), (len(low), 4 * n)).tocsr(), low, high
        ),
        integrality=whole,
        bounds=Bounds(np.zeros(4 * n), upper),
        options={"time_limit": most_s, "mip_rel_gap": _GAP},
    )
    if solved.x is None:
        return None
    chosen = solved.x[here * n : (here + 1) * n].reshape(count, slots)
    numbers = [int(np.argmax(chosen[:, t])) if chosen[:, t].max() > 0.5 else IDLE for t in range(slots)]
    return numbers, solved.status == 0
