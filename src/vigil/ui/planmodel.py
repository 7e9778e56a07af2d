"""The plan being edited."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from vigil.documents.conditions import KNOWN, wrong_order
from vigil.documents.ids import unused
from vigil.documents.plan import Block, ExposureLine, NightPlan, Span, StandingOrders, contradictions
from vigil.documents.refusal import in_words
from vigil.documents.rig import Rig
from vigil.documents.steps import MustHold, OpeningItem, Step
from vigil.documents.store import save
from vigil.planning.openingorder import moved, switched
from vigil.planning.patterns import with_own_ids
from vigil.ui.undoable import Undoable

_DEFAULT_EXPOSURE_S, _DEFAULT_COUNT = 180.0, 20


class PlanModel(Undoable[NightPlan]):
    """The plan's blocks and lines, each changed by its id."""

    def __init__(self, rig: Rig, plan: NightPlan, path: Path | None) -> None:
        super().__init__(plan, None if path is None else lambda changed: save(changed, path))
        self.rig = rig
        self._histories: dict[str, tuple[list[tuple[str, NightPlan]], list[tuple[str, NightPlan]]]] = {}
        """Undo of plans that were on the desk before, by name."""

    @property
    def plan(self) -> NightPlan:
        return self._document

    def lock(self, why: str) -> None:
        """While a night runs by the plan."""
        if why != self.locked:
            self.locked = why
            self.changed.emit()

    def show(self, plan: NightPlan) -> None:
        """Show another plan, that of a night begun elsewhere. The one on disk stays; undo brings it back."""
        self._before.append(("taking over the running night's plan", self.plan))
        self._after.clear()
        self._document = plan
        self.changed.emit()

    def open(self, plan: NightPlan) -> None:
        """Put another plan on the desk; each has its own undo. Raises ValueError while this one can't be
        changed."""
        if self.locked:
            raise ValueError(self.locked)
        self._histories[self.plan.name] = self._before, self._after
        self._before, self._after = self._histories.pop(plan.name, ([], []))
        self._put(plan)

    def rename(self, name: str) -> None:
        """Raises ValueError for an empty one."""
        if not name.strip():
            raise ValueError("a plan needs a name")
        if name.strip() != self.plan.name:
            self._change("renaming the plan", self.plan.model_copy(update={"name": name.strip()}))

    def rehearse_under(self, scenario: str) -> None:
        """The plan's own scenario."""
        if scenario != self.plan.rehearse_under:
            self._change(
                "the rehearsal's scenario", self.plan.model_copy(update={"rehearse_under": scenario})
            )

    def withdraw(self, plan: NightPlan) -> None:
        """Take back an edit that was refused: the plan is `plan` again, as if it had not been made."""
        while self._before and self._document != plan:
            _, self._document = self._before.pop()
        self._after.clear()
        self._put(plan)

    # -- edits ----------------------------------------------------------------------------------------

    @property
    def usual_span(self) -> Span:
        """That of the plan's last block, else a new block's."""
        return self.plan.blocks[-1].span if self.plan.blocks else Span()

    @property
    def usual_lines(self) -> list[ExposureLine]:
        """Those of the plan's last block, else twenty of the first filter."""
        return self.plan.blocks[-1].lines if self.plan.blocks else [self.line_like()]

    def line_like(self, **values: object) -> ExposureLine:
        """A line with the usual values but for those given."""
        first = (self.rig.filter_names or [""])[0]
        usual = {"id": "new", "filter": first, "exposure_s": _DEFAULT_EXPOSURE_S, "count": _DEFAULT_COUNT}
        return ExposureLine.model_validate({**usual, **values})

    def add_blocks(self, name: str, blocks: list[Block]) -> None:
        """Blocks at the plan's end, in one step of undo."""
        self._change(f"adding {name}", self._with_blocks([*self.plan.blocks, *blocks]))

    def remove_block(self, block_id: str) -> None:
        rest = [block for block in self.plan.blocks if block.id != block_id]
        gone = next(block for block in self.plan.blocks if block.id == block_id)
        self._change(f"removing {gone.target.name}", self._with_blocks(rest))

    def duplicate_block(self, block_id: str) -> None:
        """Once more behind itself, with ids of its own: its frames are counted anew."""
        here = next(i for i, block in enumerate(self.plan.blocks) if block.id == block_id)
        copied = with_own_ids(self.plan.blocks[here], self.plan)
        blocks = [*self.plan.blocks[: here + 1], copied, *self.plan.blocks[here + 1 :]]
        self._change(f"doubling {copied.target.name}", self._with_blocks(blocks))

    def move_block(self, block_id: str, by: int) -> None:
        """Earlier (negative) or later in the plan, by so many places."""
        blocks = list(self.plan.blocks)
        here = next(i for i, block in enumerate(blocks) if block.id == block_id)
        there = here + by
        if by and 0 <= there < len(blocks):
            blocks.insert(there, blocks.pop(here))
            self._change(f"moving {blocks[there].target.name}", self._with_blocks(blocks))

    def edit_block(self, block_id: str, words: str, **values: object) -> None:
        """Change fields of a block. Raises ValueError with what was wrong and what would be right."""
        try:
            blocks = [
                Block.model_validate({**block.model_dump(), **values}) if block.id == block_id else block
                for block in self.plan.blocks
            ]
        except ValidationError as problem:
            raise ValueError(in_words(problem)) from None
        if blocks != list(self.plan.blocks):
            self._change(words, self._with_blocks(blocks))

    def edit_orders(self, words: str, **values: object) -> None:
        """Change standing orders. Raises ValueError with what was wrong and what would be right."""
        try:
            orders = StandingOrders.model_validate({**self.plan.orders.model_dump(), **values})
        except ValidationError as problem:
            raise ValueError(in_words(problem)) from None
        if orders != self.plan.orders:
            self._change(words, self.plan.model_copy(update={"orders": orders}))

    def edit_limits(self, block_id: str, words: str, **values: object) -> None:
        """Give a block limits of its own. Raises ValueError with what was wrong and what would be right."""
        self.edit_block(block_id, words, limits={**self.block(block_id).limits, **values})

    def reset_limit(self, block_id: str, name: str) -> None:
        """A block's limit is the plan's again."""
        limits = {n: value for n, value in self.block(block_id).limits.items() if n != name}
        self.edit_block(block_id, "the plan's limit again", limits=limits)

    def switch_condition(self, name: str, off: bool) -> None:
        """Raises ValueError for one that a night relies on."""
        self._put_opening(f"switching {name}", switched(self.plan.opening, name, off))

    def move_condition(self, name: str, by: int) -> None:
        """Before (negative) or behind its neighbour. Raises ValueError for an order that can't work."""
        shown = [known.name for known in KNOWN if known.wanted(self.rig)]
        self._put_opening(f"moving {name}", moved(self.plan.opening, name, by, shown))

    def _put_opening(self, words: str, opening: list[OpeningItem]) -> None:
        wrong = wrong_order([item for item in opening if isinstance(item, MustHold)])
        if wrong:
            raise ValueError("; ".join(wrong))
        self._replace_fields(words, opening=opening)

    def take_over(self, words: str, plan: NightPlan) -> None:
        """Another plan in its place, in one step of undo."""
        if plan != self.plan:
            self._change(words, plan)

    def put_opening_steps(self, steps: list[Step]) -> None:
        """Steps take the places of the old ones between the conditions; more of them follow. Raises
        ValueError."""
        new: list[Any] = list(steps)
        kept = []
        for item in self.plan.opening:
            if item.kind == "condition":
                kept.append(item)
            elif new:
                kept.append(new.pop(0))
        self._replace_fields("the opening's steps", opening=[*kept, *new])

    def put_closing_steps(self, steps: list[Step]) -> None:
        self._replace_fields("the closing's steps", closing=steps)

    def _replace_fields(self, words: str, **values: list[Any]) -> None:
        told = {name: [piece.model_dump() for piece in pieces] for name, pieces in values.items()}
        try:
            changed = NightPlan.model_validate({**self.plan.model_dump(), **told})
        except ValidationError as problem:
            raise ValueError(in_words(problem)) from None
        if changed != self.plan:
            self._change(words, changed)

    def edit_line(self, block_id: str, line_id: str, **values: object) -> None:
        """Change fields of a line. Raises ValueError with what was wrong and what would be right."""
        names = self.rig.filter_names
        if "filter" in values and values["filter"] not in (names or [""]):
            raise ValueError(
                f"{self.rig.name} has no filter {values['filter']!r}: {', '.join(names) or 'none'}"
            )

        def edited(lines: list[ExposureLine]) -> list[ExposureLine]:
            return [
                ExposureLine.model_validate({**line.model_dump(), **values}) if line.id == line_id else line
                for line in lines
            ]

        self._edit_lines(block_id, "editing a line", edited)

    def add_line(self, block_id: str) -> str:
        """One more line like the block's last, through the next filter of the wheel. Returns its id."""
        block = self.block(block_id)
        last = block.lines[-1]
        names = self.rig.filter_names
        used = {line.filter for line in block.lines}
        name = next((n for n in names if n not in used), last.filter)
        every = {line.id for b in self.plan.blocks for line in b.lines}
        line_id = unused(f"{block_id}-{name.casefold()}", every)
        line = last.model_copy(update={"id": line_id, "filter": name})
        self._edit_lines(block_id, f"adding {name}", lambda lines: [*lines, line])
        return line_id

    def duplicate_line(self, block_id: str, line_id: str) -> None:
        """Once more behind itself."""
        every = {line.id for b in self.plan.blocks for line in b.lines}

        def doubled(lines: list[ExposureLine]) -> list[ExposureLine]:
            here = next(i for i, line in enumerate(lines) if line.id == line_id)
            copied = lines[here].model_copy(update={"id": unused(line_id, every)})
            return [*lines[: here + 1], copied, *lines[here + 1 :]]

        self._edit_lines(block_id, "doubling a line", doubled)

    def move_line(self, block_id: str, line_id: str, by: int) -> None:
        """Earlier (negative) or later in its block."""

        def moved_line(lines: list[ExposureLine]) -> list[ExposureLine]:
            here = next(i for i, line in enumerate(lines) if line.id == line_id)
            there = min(len(lines) - 1, max(0, here + by))
            lines.insert(there, lines.pop(here))
            return lines

        self._edit_lines(block_id, "moving a line", moved_line)

    def remove_line(self, block_id: str, line_id: str) -> None:
        """A block's only line goes with its block."""
        if len(self.block(block_id).lines) == 1:
            self.remove_block(block_id)
            return
        self._edit_lines(block_id, "removing a line", lambda lines: [x for x in lines if x.id != line_id])

    def block(self, block_id: str) -> Block:
        return next(block for block in self.plan.blocks if block.id == block_id)

    def contradictions(self) -> list[str]:
        """What the rig can't do of the plan."""
        return contradictions(self.plan, self.rig)

    def _edit_lines(
        self, block_id: str, words: str, edit: Callable[[list[ExposureLine]], list[ExposureLine]]
    ) -> None:
        try:
            blocks = [
                block.model_copy(update={"lines": edit(list(block.lines))}) if block.id == block_id else block
                for block in self.plan.blocks
            ]
        except ValidationError as problem:
            raise ValueError(in_words(problem)) from None
        if blocks != list(self.plan.blocks):
            self._change(words, self._with_blocks(blocks))

    def _with_blocks(self, blocks: list[Block]) -> NightPlan:
        return self.plan.model_copy(update={"blocks": blocks})
