"""Patterns in the Night workspace: keep the plan or a piece of it, put one in."""

from collections.abc import Callable

from vigil.documents.pattern import Pattern, Patterns
from vigil.planning.patterns import of_block, of_plan, put_into
from vigil.ui.pieces import Choice
from vigil.ui.session import Session

_HEAD = "Patterns…"


class PatternChoice(Choice):
    """`chosen_block` says which block is meant; `said` what was kept, put in or left out."""

    def __init__(
        self,
        session: Session,
        patterns: Patterns,
        chosen_block: Callable[[], str],
        said: Callable[[str], None],
    ) -> None:
        super().__init__()
        self._session, self._patterns = session, patterns
        self._chosen_block, self._said = chosen_block, said
        self._entries: list[tuple[str, Callable[[], str]]] = []
        self.setAccessibleName("Patterns: keep the plan or a piece of it, or put one in")
        self.setToolTip(
            "Keep the plan, a block or its lines under its name; put what was kept into this plan"
        )
        self.setFixedWidth(104)
        self.activated.connect(self._take)
        self.refresh()

    def showPopup(self) -> None:
        self.refresh()
        super().showPopup()

    def refresh(self) -> None:
        """What can be kept and put in now."""
        plan, session = self._session.plan.plan, self._session
        self._entries = []
        block = next((b for b in plan.blocks if b.id == self._chosen_block()), None)
        block = block or (plan.blocks[0] if plan.blocks else None)
        if block is not None:
            name = block.target.name
            self._entries += [
                (f"Keep the plan “{plan.name}”", lambda: self._keep(of_plan(plan, plan.name))),
                (f"Keep the block {name}", lambda: self._keep(of_block(block, name))),
                (
                    f"Keep the lines of {name}",
                    lambda: self._keep(of_block(block, f"{name}, lines", lines_only=True)),
                ),
            ]
        if not session.plan.locked:
            for pattern in self._patterns.all():
                if pattern.of == "lines" and block is None:
                    continue
                to = f" into {block.target.name}" if pattern.of == "lines" and block is not None else ""
                target = block.id if block is not None else ""
                self._entries.append(
                    (f"Put in “{pattern.name}”{to}", lambda p=pattern, t=target: self._put(p, t))  # type: ignore[misc]
                )
        self.clear()
        self.addItems([_HEAD, *(words for words, _ in self._entries)])

    def _take(self, index: int) -> None:
        self.setCurrentIndex(0)
        if index > 0:
            try:
                self._said(self._entries[index - 1][1]())
            except (OSError, ValueError) as problem:
                self._said(f"Not done: {problem}")
            self.refresh()

    def _keep(self, pattern: Pattern) -> str:
        return f"“{pattern.name}” is kept in {self._patterns.keep(pattern).parent}"

    def _put(self, pattern: Pattern, block_id: str) -> str:
        plan = self._session.plan
        changed, left_out = put_into(plan.plan, pattern, self._session.rig, block_id=block_id)
        plan.take_over(f"putting in {pattern.name}", changed)
        return "; ".join(left_out) or f"“{pattern.name}” is in the plan"
