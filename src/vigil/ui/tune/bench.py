"""What the benches have in common whose work is an errand of the keeper."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtWidgets import QSizePolicy, QStackedWidget

from vigil.documents.errands import ErrandState
from vigil.documents.messages import Command
from vigil.ui.linkstate import LinkState
from vigil.ui.pieces import Told
from vigil.ui.session import Session
from vigil.ui.theme import set_styled
from vigil.ui.views import Viewed


class ErrandBench(Viewed):
    """`said` tells what is under way, what went wrong, or what hinders."""

    def __init__(self, name: str, session: Session, kinds: Sequence[str], idle_words: str) -> None:
        """`kinds` are its errands; `idle_words` are said when one could be begun."""
        super().__init__(name)
        self._session, self._kinds, self._idle_words = session, frozenset(kinds), idle_words
        self._problem = ("", "warn")
        self.said = Told("", "soft")

    def listen(self) -> None:
        """Once it is built."""
        session = self._session
        session.happened.connect(self._take_event)
        session.sampled.connect(self._take_samples)
        for changed in (
            session.errands_changed,
            session.status_changed,
            session.devices_changed,
            session.rig_changed,
        ):
            changed.connect(self.refresh)

    def _take_event(self, event: object) -> None:
        raise NotImplementedError

    def _take_samples(self, samples: object) -> None:
        raise NotImplementedError

    def lacks(self) -> str:
        """What the rig has not that it needs; empty when it has all."""
        raise NotImplementedError

    NEEDS: tuple[str, ...] = ()
    """Devices that must be connected."""

    def hindrance(self) -> str:
        """Why nothing can be begun now; empty when it can."""
        session = self._session
        if session.link is not LinkState.OPEN:
            return "no keeper answers"
        if lacking := self.lacks():
            return lacking
        if session.run in ("running", "closing"):
            return "a night runs: hold it first"
        for name in self.NEEDS:
            report = session.reports.get(name)
            if report is None or report.lamp == "not connected":
                return f"connect the {name} first (Rig)"
        busy = self.under_way
        return f"{busy.words} is under way" if busy else ""

    @property
    def under_way(self) -> ErrandState | None:
        """The bench's errand, where one is."""
        return next((e for e in self._session.errands_under_way if e.kind in self._kinds), None)

    def _ask_for(self, kind: str, values: dict[str, Any]) -> bool:
        """Begin an errand, or say why not."""
        why = self.hindrance()
        self._say(why)
        if not why:
            self._session.ask(Command.BEGIN, kind=kind, **values)
        return not why

    def _stop(self) -> None:
        errand = self.under_way
        if errand is not None:
            self._session.stop_errand(errand.errand)

    def _say(self, problem: str, role: str = "warn") -> None:
        self._problem = problem, role
        self.show_anew()

    def _show_said(self, why: str, busy: str, otherwise: tuple[str, str] | None = None) -> None:
        """`busy` is what is under way, in words; `otherwise` what is to be said, and its role, where neither
        anything is under way nor wrong."""
        problem, role = self._problem
        if (
            problem
        ):  # also while something is under way: a value that was refused must not seem to be in force
            text = problem
        elif busy:
            text, role = busy, "soft"
        elif why:
            text, role = f"{why}.", "warn"
        else:
            text, role = otherwise or (self._idle_words, "soft")
        set_styled(self.said, "role", role)
        self.said.setText(f"{text[:1].upper()}{text[1:]}")


def show_only(stack: QStackedWidget, at: int) -> None:
    """One page of a column's tools: only what is seen claims room."""
    stack.setCurrentIndex(at)
    for k in range(stack.count()):
        wanted = QSizePolicy.Policy.Preferred if k == at else QSizePolicy.Policy.Ignored
        page = stack.widget(k)
        if page is not None:
            page.setSizePolicy(QSizePolicy.Policy.Preferred, wanted)
