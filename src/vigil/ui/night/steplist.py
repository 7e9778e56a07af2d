"""Steps done once, in a list to be edited where it stands."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from vigil.documents.ids import unused
from vigil.documents.steps import Step
from vigil.planning.steptext import EXAMPLES, StepKind, parse_step, step_text
from vigil.ui.fields import ValueField
from vigil.ui.pieces import Choice, button, label
from vigil.ui.session import Session

_ADD, _ADD_PX = "Add a step…", 122
_SHORT: dict[str, str] = {"ask": "ask", "wait": "wait", "program": "run", "test exposure": "test"}


class StepList(QWidget):
    """`steps` reads the list from the plan, `change` puts another one in its place (ValueError: it can't
    be)."""

    def __init__(
        self,
        session: Session,
        name: str,
        kinds: Sequence[StepKind],
        steps: Callable[[], Sequence[Step]],
        change: Callable[[list[Step]], None],
        said: Callable[[str], None],
    ) -> None:
        super().__init__()
        self._session, self._kinds, self._steps, self._change, self._said = (
            session,
            kinds,
            steps,
            change,
            said,
        )
        self._shown: list[Step] = []
        self.fields: list[ValueField] = []
        self._rows = QVBoxLayout()
        self._rows.setSpacing(3)
        self.add = Choice()
        self.add.setAccessibleName(f"Add a step: {name}")
        self.add.setToolTip("Ask me, wait for a moment, run a program, take a test exposure: done once")
        self.add.setFixedWidth(_ADD_PX)
        self.add.addItem(_ADD)
        self.add.addItems(kinds)
        self.add.activated.connect(self._add)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        layout.addLayout(self._rows)
        foot = QHBoxLayout()
        foot.addWidget(self.add)
        foot.addStretch(1)
        layout.addLayout(foot)

    def refresh(self, locked: bool) -> None:
        steps = list(self._steps())
        if steps != self._shown:
            self._rebuild(steps)
        self.setEnabled(not locked)

    def _rebuild(self, steps: list[Step]) -> None:
        while (item := self._rows.takeAt(0)) is not None:
            if (old := item.widget()) is not None:
                old.hide()
                old.deleteLater()
        self._shown, self.fields = steps, []
        for step in steps:
            self._rows.addWidget(self._row(step))

    def _row(self, step: Step) -> QWidget:
        made = QWidget()
        on = QCheckBox()
        on.setChecked(not step.off)
        on.setAccessibleName("This step is on")
        on.clicked.connect(lambda on: self._replace(step, step.model_copy(update={"off": not on})))
        text = ValueField(f"Step: {step.kind}", lambda said: self._edit(step, said), self._said)
        text.setToolTip(f"for example {EXAMPLES[step.kind]}")
        text.setAlignment(Qt.AlignmentFlag.AlignLeft)
        text.show_value(step_text(step))
        text.setCursorPosition(0)
        self.fields.append(text)
        earlier = button("↑", "plain", "Earlier")
        remove = button("×", "plain", "Remove this step (undo: Ctrl+Z)")
        for tool, name in ((earlier, "Earlier"), (remove, "Remove")):
            tool.setAccessibleName(f"{name}: {step.words}")
            tool.setFixedWidth(22)
        earlier.setEnabled(step is not self._shown[0])
        earlier.clicked.connect(lambda: self._earlier(step))
        remove.clicked.connect(lambda: self._put([s for s in self._shown if s.id != step.id]))
        layout = QHBoxLayout(made)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(on)
        kind = label(_SHORT[step.kind], "small")
        kind.setFixedWidth(28)
        layout.addWidget(kind)
        layout.addWidget(text, 1)
        layout.addWidget(earlier)
        layout.addWidget(remove)
        return made

    def _add(self, index: int) -> None:
        self.add.setCurrentIndex(0)
        if index == 0:
            return
        kind = self._kinds[index - 1]
        used = {step.id for step in self._session.plan.plan.steps}
        text = EXAMPLES[kind]
        if kind == "test exposure" and (names := self._session.rig.filter_names):
            text = f"{names[0]} {text}"
        self._put([*self._shown, parse_step(kind, text, unused(kind.replace(" ", "-"), used))])

    def _edit(self, step: Step, text: str) -> None:
        """Raises ValueError, which the field shows."""
        parsed = parse_step(step.kind, text, step.id).model_copy(update={"off": step.off})
        self._change([parsed if s.id == step.id else s for s in self._shown])

    def _replace(self, step: Step, other: Step) -> None:
        self._put([other if s.id == step.id else s for s in self._shown])

    def _earlier(self, step: Step) -> None:
        here = self._shown.index(step)
        moved = list(self._shown)
        moved[here - 1], moved[here] = moved[here], moved[here - 1]
        self._put(moved)

    def _put(self, steps: list[Step]) -> None:
        try:
            self._change(steps)
        except ValueError as problem:
            self._said(str(problem))
