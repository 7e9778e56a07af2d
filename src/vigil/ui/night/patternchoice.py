"""Patterns in the Night workspace: keep the plan or a piece of it, put one in."""

from collections.abc import Callable, Iterator, Sequence

from vigil.documents.pattern import Pattern, Patterns
from vigil.documents.plan import Target
from vigil.documents.shelf import Framed
from vigil.planning.patterns import of_block, of_plan, put_into
from vigil.ui.night.listedactions import Entry, ListedActions
from vigil.ui.session import Session

_MOST_FRAMED = 6


class PatternChoice(ListedActions):
    """`chosen_block` says which block is meant."""

    def __init__(
        self,
        session: Session,
        patterns: Patterns,
        chosen_block: Callable[[], str],
        said: Callable[[str], None],
        shelf: Callable[[], Sequence[Framed]] = tuple,
    ) -> None:
        self._session, self._patterns, self._chosen_block = session, patterns, chosen_block
        self._shelf = shelf
        super().__init__("Patterns…", lambda: list(self._possible()), said)
        self.setAccessibleName("Patterns: keep the plan or a piece of it, or put one in")
        self.setToolTip(
            "Keep the plan, a block or its lines under its name; put what was kept into this plan"
        )
        self.setFixedWidth(98)

    def _possible(self) -> Iterator[Entry]:
        """What can be kept and put in now."""
        plan, session = self._session.plan.plan, self._session
        block = next((b for b in plan.blocks if b.id == self._chosen_block()), None)
        block = block or (plan.blocks[0] if plan.blocks else None)
        if block is not None:
            name, chosen = block.target.name, block
            yield f"Keep the plan “{plan.name}”", lambda: self._keep(of_plan(plan, plan.name))
            yield f"Keep the block {name}", lambda: self._keep(of_block(chosen, name))
            lines_name = f"{name}, lines"
            yield (
                f"Keep the lines of {name}",
                lambda: self._keep(of_block(chosen, lines_name, lines_only=True)),
            )
        if session.plan.locked:
            return
        for pattern in self._patterns.all():
            if pattern.of == "lines" and block is None:
                continue
            to = f" into {block.target.name}" if pattern.of == "lines" and block is not None else ""
            target = block.id if block is not None else ""
            words = f"Insert “{pattern.name}”{to}"
            yield words, lambda p=pattern, t=target: self._put(p, t)  # type: ignore[misc]
        single = [framed for framed in self._shelf() if framed.framing.count == 1]
        for framed in single[:_MOST_FRAMED]:
            for pattern in self._patterns.all():
                words = f"New block: “{pattern.name}” on {framed.name}"
                yield words, lambda p=pattern, f=framed: self._put(p, "", _target_of(f))  # type: ignore[misc]

    def _keep(self, pattern: Pattern) -> str:
        return f"“{pattern.name}” is kept in {self._patterns.keep(pattern).parent}"

    def _put(self, pattern: Pattern, block_id: str, target: Target | None = None) -> str:
        plan = self._session.plan
        changed, left_out = put_into(plan.plan, pattern, self._session.rig, target, block_id)
        plan.take_over(f"putting in {pattern.name}", changed)
        return "; ".join(left_out) or f"“{pattern.name}” is in the plan"


def _target_of(framed: Framed) -> Target:
    """A framed target of one panel."""
    g = framed.framing
    return Target(
        name=framed.name, ra_deg=g.ra_deg, dec_deg=g.dec_deg, position_angle_deg=g.position_angle_deg
    )
