"""The conditions that plans may name, to put them in another order or switch them off."""

from collections.abc import Sequence
from dataclasses import dataclass

from vigil.documents.steps import MustHold


@dataclass(frozen=True, slots=True)
class Known:
    """`after` are those that what brings it about relies on; `explained` is a sentence for people."""

    name: str
    after: tuple[str, ...]
    explained: str
    may_be_off: bool = True


KNOWN: tuple[Known, ...] = (
    Known("connected", (), "Every device answers; those that don't are connected.", False),
    Known("safe", (), "Weather and safety sensors say so, and their word is fresh.", False),
    Known("stars seen", (), "The last frame has about as many stars as those before it."),
    Known("in its span", (), "Dark enough and high enough until the frame is read out.", False),
    Known("room on disk", (), "There is room for the frame.", False),
    Known("camera cold", ("connected",), "The camera is at its set-point; cooling goes on beside the rest."),
    Known("roof open", ("connected", "safe"), "The roof is open."),
    Known("heaters", ("connected",), "The dew heaters are at the rig's levels."),
    Known("cover open", ("connected",), "The cover is open."),
    Known(
        "pier side", ("connected", "roof open"), "On the right side of the pier for the whole frame.", False
    ),
    Known(
        "tracking", ("connected", "roof open", "pier side"), "The mount is awake and follows the sky.", False
    ),
    Known("pointed", ("tracking",), "The mount says that it points there.", False),
    Known(
        "focus fresh",
        ("pointed", "cover open"),
        "Focused lately, at about this temperature, and stars still small.",
    ),
    Known("camera angle", ("pointed", "focus fresh"), "The camera is turned as the target wants it."),
    Known(
        "on target", ("pointed", "focus fresh", "camera angle"), "A solved frame says so, to a few pixels."
    ),
    Known("dithered", ("on target",), "Moved a little every so many frames."),
    Known(
        "filter",
        ("on target", "focus fresh", "dithered"),
        "The line's filter is in the beam, the focuser moved by its offset.",
        False,
    ),
)


def explained(name: str) -> str:
    """What a condition means; empty for one that plans can't name."""
    return next((known.explained for known in KNOWN if known.name == name), "")


def wrong_order(named: Sequence[MustHold]) -> list[str]:
    """What contradicts in a plan's own order, one sentence each with what would be right.

    The named ones come first, in their order; the others follow in the usual one.
    """
    names, by_name = [n.name for n in named], {known.name: known for known in KNOWN}
    found = [
        f"there is no condition {name!r}; there are {', '.join(by_name)}"
        for name in names
        if name not in by_name
    ]
    found += [f"{name!r} stands twice" for name in dict.fromkeys(names) if names.count(name) > 1]
    if found:
        return found
    off = {n.name for n in named if n.off}
    found += [
        f"{name!r} can't be switched off: a night relies on it"
        for name in names
        if name in off and not by_name[name].may_be_off
    ]
    order = names + [known.name for known in KNOWN if known.name not in names]
    for place, name in enumerate(order):
        late = [a for a in by_name[name].after if a not in off and order.index(a) > place]
        if name not in off and late:
            found.append(f"{name!r} stands before {late[0]!r}, which it relies on; put it after that")
    return found
