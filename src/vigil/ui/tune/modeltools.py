"""The tools beside the temperature model and the filter offsets: what was found is offered to the rig."""

from typing import Any

from PyQt6.QtWidgets import QWidget

from vigil.documents.errands import ErrandState
from vigil.documents.rig import Rig
from vigil.documents.rig.focusvalues import offset_values, slope_values
from vigil.focusing.history import History
from vigil.ui import words
from vigil.ui.fields import whole_number
from vigil.ui.pieces import Facts, Told, button, column
from vigil.ui.tune.tools import Doing, left, line, value_field, whole

_THERE_AND_BACK = (
    "Several runs through each filter, there and back again, so that a cooling tube falls on all alike. "
    "Each run is in the log."
)


class ModelTools(QWidget):
    """Steps for each °C."""

    def __init__(self, doing: Doing) -> None:
        super().__init__()
        self._doing = doing
        self._history: History | None = None
        self.facts, self.said = Facts(), Told("", "small")
        self.take_over = button("Take over", "primary", "Put the steps for each °C into the rig")
        self.take_over.clicked.connect(self._take_over)
        made = column(self.facts, self.said, gap=6)
        made.addLayout(left(self.take_over))
        whole(made, self)

    def _take_over(self) -> None:
        if self._history is not None and self._history.slope is not None:
            slope, scatter = self._history.slope, self._history.scatter
            learnt = slope_values(slope.value, slope.half, scatter)
            self._doing.edit(learnt, "the temperature model")

    def show_all(self, rig: Rig, history: History | None, runs: int, why: str) -> None:
        self._history = history
        slope = history.slope if history is not None else None
        facts = []
        if slope is not None:
            facts += [("for each °C", f"{words.signed(slope.value)} ± {slope.half:.1f} steps")]
        if history is not None:
            facts += [("runs scatter", f"{history.scatter:.1f} steps")]
            facts += [("left out", f"{len(history.left_out)} of {runs}")]
        own = rig.focuser.steps_per_c if rig.focuser else None
        facts += [("in the rig", "none" if own is None else f"{words.signed(own)} steps/°C")]
        self.facts.show_facts(facts)
        follows = (
            "With it in the rig a plan may have the focuser follow the temperature, or weigh when to refocus."
        )
        self.said.setText(follows if slope is not None else f"{why[:1].upper()}{why[1:]}.")
        self.take_over.setEnabled(slope is not None)


class OffsetTools(QWidget):
    """Every filter against the reference."""

    def __init__(self, doing: Doing) -> None:
        super().__init__()
        self._doing = doing
        self.found: dict[str, Any] = {}
        """As the errand told it, by filter."""
        self._rounds = 3
        self._rig: Rig | None = None
        self.measure = button("Measure all", "primary", "Several runs through each filter, in turn")
        self.take_over = button("Take over", "", "Put the measured offsets into the rig")
        self.stop = button("Stop", "", "Stop measuring; the runs made so far stay in the log")
        self.rounds = value_field("Runs through each filter", self._set_rounds, doing.say)
        self.measure.clicked.connect(lambda: doing.begin("filter offsets", rounds=self._rounds))
        self.take_over.clicked.connect(self._take_over)
        self.stop.clicked.connect(doing.stop)
        made = column(gap=6)
        made.addLayout(left(self.measure, self.take_over))
        made.addLayout(left(self.stop))
        made.addWidget(line("each filter", self.rounds, "runs"))
        made.addWidget(Told(_THERE_AND_BACK, "small"))
        whole(made, self)

    def _set_rounds(self, text: str) -> None:
        self._rounds = whole_number(text, "runs", 2, 9)

    def _take_over(self) -> None:
        rig = self._rig
        if rig is None or rig.wheel is None or not self.found:
            return
        offsets = {name: int(found["steps"]) for name, found in self.found.items()}
        self._doing.edit(offset_values(rig, offsets), "the measured filter offsets")

    def show_all(self, rig: Rig, hindered: bool, busy: ErrandState | None) -> None:
        self._rig = rig
        self.measure.setEnabled(not hindered and rig.wheel is not None)
        self.stop.setEnabled(busy is not None)
        self.take_over.setEnabled(bool(self.found) and busy is None)
        self.rounds.show_value(f"{self._rounds}")


def reference(rig: Rig) -> str:
    """The filter that offsets count from; empty without filters."""
    return "" if rig.wheel is None else rig.wheel.current.reference or rig.wheel.focus_through
