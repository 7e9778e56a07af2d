"""An edited plan for a night under way: what may still change, and what changed, in words."""

from collections.abc import Collection
from typing import Any

from vigil.documents.plan import Block, ExposureLine, NightPlan

_FREE_OF_LINES = {"count", "as_long_as_it_lasts", "moon", "off"}
_FREE_OF_BLOCKS = {"span", "order", "lines", "set_point_c", "limits", "off"}


def refused(old: NightPlan, new: NightPlan, begun: Collection[str]) -> list[str]:
    """What of an edit comes too late, one sentence each. `begun` are the ids of lines with frames.

    What has not begun may change in any way; of what has, the end and the limits.
    """
    found = []
    after = {block.id: block for block in new.blocks}
    for block in old.blocks:
        started = [line for line in block.lines if line.id in begun]
        if not started:
            continue
        name = block.target.name
        if block.id not in after:
            found.append(f"{name} has frames already and can't be removed; switch it off")
            continue
        changed = set(_changed(block, after[block.id])) - _FREE_OF_BLOCKS
        if changed:
            found.append(f"{name} has frames already: its {_listed(changed)} can't change any more")
        lines = {line.id: line for line in after[block.id].lines}
        found += [said for line in started for said in _refused_line(name, line, lines.get(line.id))]
    return found


def _refused_line(name: str, line: ExposureLine, after: ExposureLine | None) -> list[str]:
    words = f"{name} · {line.words}"
    if after is None:
        return [f"{words} has frames already and can't be removed; switch it off"]
    changed = set(_changed(line, after)) - _FREE_OF_LINES
    if not changed:
        return []
    return [f"{words} has frames already: its {_listed(changed)} can't change any more; add a line for that"]


def changes(old: NightPlan, new: NightPlan) -> list[str]:
    """What an edit changes, in words: "IC 405 · Ha 300 s: count 12 → 20"."""
    before = {block.id: block for block in old.blocks}
    after = {block.id: block for block in new.blocks}
    said = [f"{b.target.name} removed" for b in old.blocks if b.id not in after]
    said += [f"{b.target.name} added" for b in new.blocks if b.id not in before]
    for block in new.blocks:
        if (was := before.get(block.id)) is not None:
            said += _block_changes(was, block)
    kept = [b.id for b in old.blocks if b.id in after]
    if kept != [b.id for b in new.blocks if b.id in before]:
        said.append(f"order now {', '.join(b.target.name for b in new.blocks)}")
    said += _told("standing orders", _changed(old.orders, new.orders))
    rest = {name: both for name, both in _changed(old, new).items() if name not in ("blocks", "orders")}
    return said + _told("the plan", rest)


def _block_changes(was: Block, block: Block) -> list[str]:
    name = block.target.name
    fields = _changed(was, block)
    fields.pop("lines", None)
    said = _told(name, fields)
    before = {line.id: line for line in was.lines}
    after = {line.id for line in block.lines}
    said += [f"{name} · {line.words} removed" for line in was.lines if line.id not in after]
    for line in block.lines:
        if line.id not in before:
            said.append(f"{name} · {line.words} added")
        else:
            said += _told(f"{name} · {before[line.id].words}", _changed(before[line.id], line))
    kept = [line.id for line in was.lines if line.id in after]
    if kept != [line.id for line in block.lines if line.id in before]:
        said.append(f"{name}: lines now {', '.join(line.words for line in block.lines)}")
    return said


def _changed(old: Any, new: Any) -> dict[str, tuple[Any, Any]]:
    """Fields that differ, with both values."""
    return {
        name: (getattr(old, name), getattr(new, name))
        for name in type(old).model_fields
        if getattr(old, name) != getattr(new, name)
    }


def _told(name: str, fields: dict[str, tuple[Any, Any]]) -> list[str]:
    told = []
    for field, (old, new) in fields.items():
        words = field.replace("_", " ")
        plain = isinstance(new, str | int | float | None) and isinstance(old, str | int | float | None)
        told.append(f"{name}: {words} {_value(old)} → {_value(new)}" if plain else f"{name}: {words} changed")
    return told


def _value(value: Any) -> str:
    if value is None or value == "":
        return "none"
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:g}" if isinstance(value, float) else str(value)


def _listed(names: Collection[str]) -> str:
    return " and ".join(sorted(name.replace("_", " ") for name in names))
