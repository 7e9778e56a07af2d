"""The tools beside the focus curve: begin a run, its settings, its result, backlash."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QWidget

from vigil.documents.errands import ErrandState
from vigil.documents.focusruns import FocusRun
from vigil.documents.rig import Rig
from vigil.documents.rig.focusvalues import backlash_values
from vigil.planning.focustime import run_takes_s
from vigil.ui import words
from vigil.ui.fields import ValueField, number, whole_number
from vigil.ui.pieces import Choice, Facts, Told, button, column, label
from vigil.ui.tune.focuswords import facts_of
from vigil.ui.tune.tools import Doing, left, line, value_field, whole


class RunTools(QWidget):
    """What is left empty is as the rig has it."""

    def __init__(self, doing: Doing) -> None:
        super().__init__()
        self._doing = doing
        self._wish: dict[str, Any] = {}
        self._measured: dict[str, Any] | None = None
        self._rig: Rig | None = None
        self.run = button("Focus", "primary", "A run from where the focuser stands")
        self.find = button("Find focus", "", "From anywhere in the focuser's travel")
        self.finer = button("Again, finer", "", "Around the last result, closer and twice as exact")
        self.stop = button("Stop", "", "Stop what the bench is doing")
        self.run.clicked.connect(lambda: doing.begin("focus", **self._wish))
        self.find.clicked.connect(lambda: doing.begin("find focus", **self._for_finding()))
        self.finer.clicked.connect(lambda: doing.begin("focus", **{**self._wish, "finer": True}))
        self.stop.clicked.connect(doing.stop)
        self.filter = Choice()
        self.filter.setAccessibleName("Filter to focus through")
        self.filter.currentTextChanged.connect(lambda name: self._set("filter", name))
        self.exposure = self._field("Exposure, s", "exposure_s", lambda t: number(t, "exposure", 0.01, 600))
        self.step = self._field(
            "Step between positions", "step", lambda t: whole_number(t, "step", 1, 100_000)
        )
        self.frames = self._field(
            "Frames at each position", "frames", lambda t: whole_number(t, "frames", 1, 9)
        )
        self.by = Choice()
        self.by.setAccessibleName("What is measured")
        self.by.addItem("stars", "stars")
        self.by.addItem("one star, its part only", "one star")
        self.by.addItem("sharpness of anything", "sharpness")
        self.by.currentIndexChanged.connect(lambda _: self._measure_by(self.by.currentData()))
        self.takes = Told("", "small")
        self.keep = QCheckBox("keep its frames")
        self.keep.toggled.connect(lambda on: self._set("keep", on or None))
        self.frames.setFixedWidth(36)
        self.result = Facts()
        self.backlash_said = Told("", "small")
        self.backlash = button("Measure backlash", "small", "By two opposite sweeps")
        self.take_backlash = button("Take over", "small", "Put the measured backlash into the rig")
        self.backlash.clicked.connect(lambda: doing.begin("backlash", **self.through))
        self.take_backlash.clicked.connect(self._take_backlash)
        self._through = line("through", self.filter)
        made = column(gap=6)
        made.addLayout(left(self.run, self.find))
        made.addLayout(left(self.finer, self.stop))
        made.addWidget(label("Settings", "section"))
        for part in (
            self._through,
            line("exposure", self.exposure, "s"),
            line("step", self.step, "steps,", self.frames, "each"),
            line("measured", self.by),
            self.keep,
            self.takes,
        ):
            made.addWidget(part)
        made.addWidget(label("Result", "section"))
        made.addWidget(self.result)
        made.addWidget(label("Backlash", "section"))
        made.addWidget(self.backlash_said)
        made.addLayout(left(self.backlash, self.take_backlash))
        whole(made, self)

    @property
    def through(self) -> dict[str, Any]:
        """The filter that was chosen; empty where it is the rig's."""
        return {"filter": self._wish["filter"]} if "filter" in self._wish else {}

    def _for_finding(self) -> dict[str, Any]:
        return {k: v for k, v in self._wish.items() if k in ("filter", "exposure_s", "frames")}

    def _field(self, name: str, key: str, read: Callable[[str], Any]) -> ValueField:
        def apply(text: str) -> None:
            self._set(key, read(text) if text else None)

        return value_field(name, apply, self._doing.say)

    def _set(self, key: str, value: Any) -> None:
        if value in (None, ""):
            self._wish.pop(key, None)
        else:
            self._wish[key] = value

    def _measure_by(self, by: str) -> None:
        self._set("by", None if by == "stars" else by)
        if self._rig is not None:
            self._show_takes(self._rig)

    def _show_takes(self, rig: Rig) -> None:
        """What a run takes, and what one star alone would."""
        exposure_s = self._wish.get("exposure_s") or rig.focus_exposure_s(self.filter.currentText())
        each = self._wish.get("frames") or (rig.focuser.search_frames if rig.focuser else 1)
        whole, one = (words.duration(run_takes_s(rig, exposure_s, each, alone)) for alone in (False, True))
        self.takes.setText(f"A run takes about {whole}; by one star {one}.")

    def take_measured(self, backlash: dict[str, Any]) -> None:
        """What an errand has found; it is offered."""
        self._measured = backlash

    def _take_backlash(self) -> None:
        found = self._measured
        if found is None:
            return
        none = found["none_shows"]
        what = "backlash by the controller" if none else "the measured backlash"
        self._doing.edit(backlash_values(0 if none else found["steps"]), what)

    def show_all(
        self, rig: Rig, shown: FocusRun | None, hindered: bool, busy: ErrandState | None, scale: float | None
    ) -> None:
        """`scale` is the camera's, ″ a pixel."""
        self.run.setEnabled(not hindered)
        self.find.setEnabled(not hindered)
        self.backlash.setEnabled(not hindered)
        self.finer.setEnabled(not hindered and shown is not None and shown.best is not None)
        self.stop.setEnabled(busy is not None)
        self.result.show_facts(facts_of(shown, scale) if shown is not None else [])
        self._rig = rig
        self._show_fields(rig)
        self._show_takes(rig)
        self._show_backlash(rig)

    def _show_fields(self, rig: Rig) -> None:
        names = rig.filter_names
        self._through.setVisible(bool(names))
        if [self.filter.itemText(k) for k in range(self.filter.count())] != names:
            self.filter.blockSignals(True)
            self.filter.clear()
            self.filter.addItems(names)
            self.filter.setCurrentText(
                self._wish.get("filter") or (rig.wheel.focus_through if rig.wheel else "")
            )
            self.filter.blockSignals(False)
        if rig.focuser is None:
            return
        own = {
            "exposure_s": f"{rig.focus_exposure_s(self.filter.currentText()):g}",
            "step": f"{rig.focuser.search_step}" if rig.focuser.search_step else "auto",
            "frames": f"{rig.focuser.search_frames}",
        }
        for key, field in (("exposure_s", self.exposure), ("step", self.step), ("frames", self.frames)):
            value = self._wish.get(key)
            field.setPlaceholderText(own[key])
            field.show_value("" if value is None else f"{value:g}")

    def _show_backlash(self, rig: Rig) -> None:
        focuser, found = rig.focuser, self._measured
        self.take_backlash.setVisible(found is not None)
        if focuser is None:
            return
        by = {
            "Vigil": f"overshoot {focuser.overshoot_steps} steps",
            "controller": "the controller makes up for it",
        }
        said = f"In the rig: {by.get(focuser.backlash_by, 'nobody makes up for it')}."
        if found is not None:
            low, high = found["interval_95"]
            measured = f"{found['steps']} steps, {low:.0f} to {high:.0f} with 95 %"
            said = f"Measured: {'none shows' if found['none_shows'] else measured}. {said}"
        self.backlash_said.setText(said)
