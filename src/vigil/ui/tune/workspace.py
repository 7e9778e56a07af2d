"""Tune: one bench at a time."""

from collections.abc import Callable

from PyQt6.QtWidgets import QButtonGroup, QPushButton, QStackedWidget, QVBoxLayout, QWidget

from vigil.ui.actions import Action
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import button, row
from vigil.ui.session import Session
from vigil.ui.theme import Size
from vigil.ui.tune.focus import FocusBench
from vigil.ui.tune.guiding import GuidingBench
from vigil.ui.tune.mount import MountBench
from vigil.ui.tune.polar import PolarBench
from vigil.ui.workspace import Edited, Workspace


class Tune(Workspace):
    """The benches."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__("Tune")
        self.polar, self.focus, self.guiding, self.mount = (
            PolarBench(session, jobs),
            FocusBench(session, jobs),
            GuidingBench(session, jobs),
            MountBench(session),
        )
        self.benches: dict[str, Workspace] = {
            "Polar": self.polar,
            "Focus": self.focus,
            "Guiding": self.guiding,
            "Mount": self.mount,
        }
        self._stack = QStackedWidget()
        self._choices = QButtonGroup(self)
        self.choices: dict[str, QPushButton] = {}
        for name, bench in self.benches.items():
            choice = button(name, "plain", f"The {name.lower()} bench")
            choice.setCheckable(True)
            choice.toggled.connect(lambda on, n=name: self.show_bench(n) if on else None)
            self._choices.addButton(choice)
            self.choices[name] = choice
            self._stack.addWidget(bench)
        bar = row(*self.choices.values(), gap=4)
        bar.setContentsMargins(Size.MARGIN - 6, 6, Size.MARGIN, 0)
        bar.addStretch(1)
        whole = QWidget()
        layout = QVBoxLayout(whole)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        layout.addLayout(bar)
        layout.addWidget(self._stack, 1)
        self.build(whole)
        self.show_bench("Focus")

    @property
    def bench(self) -> Workspace:
        """The one in front."""
        return next(b for b in self.benches.values() if b is self._stack.currentWidget())

    def show_bench(self, name: str) -> None:
        if not self.choices[name].isChecked():
            self.choices[name].setChecked(True)  # comes back here
            return
        self._stack.setCurrentWidget(self.benches[name])
        self.first, self.inspector = self.bench.first, self.bench.inspector

    def fold(self, folded: bool) -> None:
        for bench in self.benches.values():
            bench.fold(folded)

    def enlarge(self, large: bool) -> None:
        for bench in self.benches.values():
            bench.enlarge(large)

    def actions_here(self) -> list[Action]:
        found = [
            Action(f"Bench: {name.lower()}", lambda n=name: self.show_bench(n))  # type: ignore[misc]
            for name in self.benches
        ]
        return found + [action for bench in self.benches.values() for action in bench.actions_here()]

    def edited(self) -> Edited | None:
        return self.bench.edited()

    def second(self) -> "tuple[QWidget, Callable[[], None]] | None":
        return self.bench.second()

    def entered(self) -> None:
        self.bench.entered()
