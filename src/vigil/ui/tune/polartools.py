"""The tools beside the polar picture: measure, turn, verify, go back; drift; the adjusters."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QLineEdit, QWidget

from vigil.documents.errands import ErrandState
from vigil.documents.polar import AXIS_KIND, BACK_KIND, DRIFT_KIND, TURNING_KIND, KeptPolar
from vigil.documents.rig import Rig
from vigil.ui.fields import number, whole_number
from vigil.ui.pieces import Choice, Facts, Told, button, column, label
from vigil.ui.tune.tools import Doing, left, line, value_field, whole

_AXES = ("azimuth", "altitude")
_AMOUNT_PX, _SHORT_PX = 52, 36


class FrameTools(QWidget):
    """Measuring by frames, and what follows it. What is left empty is as the rig has it."""

    def __init__(self, doing: Doing) -> None:
        super().__init__()
        self._doing = doing
        self._wish: dict[str, Any] = {}
        self.measure = button("Measure", "primary", "Frames with turns between them, from where it looks")
        self.go = button("Go there, measure", "", "Unpark, go near the pole, then measure")
        self.turn = button("Turn the adjusters", "", "Frames one after the other, and what is left")
        self.stop = button("Stop", "", "Nothing measured is lost by it")
        self.back = button("Go back to where it was", "", "Where it stood before, parked if it was parked")
        self.measure.clicked.connect(lambda: doing.begin(AXIS_KIND, **self._wish))
        self.go.clicked.connect(lambda: doing.begin(AXIS_KIND, goes=True, **self._wish))
        self.turn.clicked.connect(lambda: doing.begin(TURNING_KIND, **self._for_turning()))
        self.stop.clicked.connect(doing.stop)
        self.back.clicked.connect(lambda: doing.begin(BACK_KIND))
        self.camera, self.way, self.frames = Choice(), Choice(), Choice()
        self.camera.setAccessibleName("Camera that looks at the pole")
        self.camera.addItem("guide camera", None)
        self.camera.addItem("main camera", "main")
        self.camera.activated.connect(lambda _: self._set("camera", self.camera.currentData()))
        self.way.setAccessibleName("Which way it turns")
        for words, data in (("the clear way", None), ("west", "west"), ("east", "east")):
            self.way.addItem(words, data)
        self.way.activated.connect(lambda _: self._set("way", self.way.currentData()))
        self.frames.setAccessibleName("Frames")
        self.frames.addItem("three frames", None)
        self.frames.addItem("two: quicker, less sure", 2)
        self.frames.activated.connect(lambda _: self._set("frames", self.frames.currentData()))
        self.degrees = value_field("Turn, °", self._number("turn_deg", "turn", 15, 60), doing.say)
        self.exposure = value_field(
            "Exposure, s", self._number("exposure_s", "exposure", 0.01, 60), doing.say
        )
        self.rate = value_field(
            "Rate of turning, °/s", self._number("rate_deg_s", "rate", 0.01, 10), doing.say
        )
        self.gain = value_field("Gain", self._whole("gain", "gain", 0, 10_000), doing.say)
        self.binning = value_field("Binning", self._whole("binning", "binning", 1, 4), doing.say)
        self.binning.setFixedWidth(_SHORT_PX)
        self.filter = Choice()
        self.filter.setAccessibleName("Filter to look through")
        self.filter.activated.connect(lambda _: self._set("filter", self.filter.currentData()))
        self.by_steps = QCheckBox("ask before each turn")
        self.by_steps.toggled.connect(lambda on: self._set("by_steps", on or None))
        self._through = line("through", self.filter)
        self.before = Told("", "small")
        self.result = Facts()
        self.verdict = Told("", "soft")
        made = column(gap=6)
        made.addLayout(left(self.measure, self.go))
        made.addLayout(left(self.turn, self.stop))
        made.addWidget(self.before)
        made.addWidget(label("Settings", "section"))
        for part in (
            line("camera", self.camera),
            line("turn by", self.degrees, "°", self.way),
            line("rate", self.rate, "°/s"),
            line("take", self.frames),
            line("exposure", self.exposure, "s"),
            line("gain", self.gain, "binning", self.binning),
            self._through,
            self.by_steps,
        ):
            made.addWidget(part)
        self._known = label("Result", "section")
        made.addWidget(self._known)
        made.addWidget(self.result)
        made.addWidget(self.verdict)
        made.addLayout(left(self.back))
        whole(made, self)

    def _number(self, key: str, name: str, least: float, most: float) -> Callable[[str], None]:
        def apply(text: str) -> None:
            self._set(key, number(text.rstrip("°s/ "), name, least, most) if text else None)

        return apply

    def _whole(self, key: str, name: str, least: int, most: int) -> Callable[[str], None]:
        def apply(text: str) -> None:
            self._set(key, whole_number(text, name, least, most) if text else None)

        return apply

    def _set(self, key: str, value: Any) -> None:
        if value is None:
            self._wish.pop(key, None)
        else:
            self._wish[key] = value

    def _show_filters(self, rig: Rig, main: bool) -> None:
        names = rig.filter_names if main else []
        self._through.setVisible(bool(names))
        if [self.filter.itemText(k) for k in range(1, self.filter.count())] != names:
            self.filter.clear()
            self.filter.addItem("the rig's", None)
            for name in names:
                self.filter.addItem(name, name)
            self._wish.pop("filter", None)

    def _for_turning(self) -> dict[str, Any]:
        return {
            key: self._wish[key] for key in ("camera", "exposure_s", "gain", "filter") if key in self._wish
        }

    @property
    def wish(self) -> dict[str, Any]:
        return dict(self._wish)

    def show_all(
        self,
        rig: Rig,
        hindered: bool,
        busy: ErrandState | None,
        kept: KeptPolar,
        before: str,
        facts: list[tuple[str, str]],
        verdict: str,
    ) -> None:
        """`before` is what would be in the way or should be known; `verdict` what the result means here."""
        for made in (self.measure, self.go):
            made.setEnabled(not hindered)
        self.measure.setText("Measure again" if kept.last is not None else "Measure")
        self.turn.setEnabled(not hindered and kept.stood is not None)
        self.back.setEnabled(not hindered and kept.began is not None)
        self.stop.setEnabled(busy is not None)
        self.stop.setText("Finish" if busy is not None and busy.kind == TURNING_KIND else "Stop")
        self.before.setText(before)
        self.before.setVisible(bool(before))
        self.degrees.show_value(f"{self._wish.get('turn_deg', 30.0):g}")
        self.rate.show_value(f"{self._wish['rate_deg_s']:g}" if "rate_deg_s" in self._wish else "")
        main = self._wish.get("camera") == "main"
        usual = rig.solve_exposure_s if main or rig.guider is None else rig.guider.exposure_s
        self._show_filters(rig, main)
        for field, key in ((self.gain, "gain"), (self.binning, "binning")):
            field.show_value(f"{self._wish[key]}" if key in self._wish else "")
        self.exposure.show_value(f"{self._wish.get('exposure_s', usual):g}")
        self.result.show_facts(facts)
        self.verdict.setText(verdict)
        for made in (self._known, self.result, self.verdict):
            made.setVisible(bool(facts))


class DriftTools(QWidget):
    """Measuring by drift: one axis, then the other."""

    def __init__(self, doing: Doing, tell: Callable[..., None]) -> None:
        super().__init__()
        self._doing = doing
        self._within, self._turns = 0.5, None
        self.axis = Choice()
        self.axis.setAccessibleName("Axis")
        self.axis.addItems(_AXES)
        self.go = button("Go there, measure", "primary", "Where this axis shows best")
        self.measure = button("Measure here", "", "With the stars that it looks at")
        self.again = button("Turned: measure again", "", "The adjuster was turned")
        self.stop = button("Stop", "", "The last measurement stays")
        self.chart = button("On the chart", "small", "Show that place on the sky chart")
        self.go.clicked.connect(lambda: self._begin(goes=True))
        self.measure.clicked.connect(lambda: self._begin())
        self.again.clicked.connect(lambda: tell(what="measure", **self._turned()))
        self.stop.clicked.connect(doing.stop)
        self.within = value_field("Known to within, ′", self._set_within, doing.say)
        self.turns = value_field("Turns of the adjuster, + clockwise", self._set_turns, doing.say)
        self.turns.setFixedWidth(_AMOUNT_PX)
        self.place = Told("", "small")
        self.warning = Told(
            "Nothing is corrected while it drifts; guiding that is on goes on afterwards.", "small"
        )
        self.result = Facts()
        made = column(gap=6)
        made.addWidget(line("axis", self.axis, self.chart))
        made.addWidget(self.place)
        made.addLayout(left(self.go, self.measure))
        made.addLayout(left(self.again, self.stop))
        made.addWidget(line("turned by", self.turns, "turns, if you know"))
        made.addWidget(line("to within", self.within, "′"))
        made.addWidget(self.warning)
        made.addWidget(label("Result", "section"))
        made.addWidget(self.result)
        whole(made, self)

    def _begin(self, **values: Any) -> None:
        self._doing.begin(
            DRIFT_KIND, axis=self.axis.currentText(), within_arcmin=self._within, stays=True,
            **({"turned": self._turns} if self._turns is not None else {}), **values,
        )  # fmt: skip

    def _turned(self) -> dict[str, Any]:
        told = {} if self._turns is None else {"turns": self._turns}
        self._turns = None
        return told

    def _set_within(self, text: str) -> None:
        self._within = number(text.rstrip("′ "), "to within", 0.1, 30)

    def _set_turns(self, text: str) -> None:
        self._turns = number(text, "turned by", -20, 20) if text else None

    def show_all(
        self,
        hindered: bool,
        busy: ErrandState | None,
        turning: bool,
        place: str,
        facts: list[tuple[str, str]],
    ) -> None:
        """`turning`: the star is watched, and may be measured again."""
        for made in (self.go, self.measure):
            made.setEnabled(not hindered)
        self.again.setEnabled(turning)
        self.stop.setEnabled(busy is not None)
        self.place.setText(place)
        self.within.show_value(f"{self._within:g}")
        self.turns.show_value("" if self._turns is None else f"{self._turns:g}")
        self.result.show_facts(facts)


class AdjusterTools(QWidget):
    """What is learnt of each adjuster, and a note of one's own."""

    def __init__(self, keep_note: Callable[[str, str], None]) -> None:
        super().__init__()
        self.facts = Facts()
        self.notes: dict[str, QLineEdit] = {}
        made = column(gap=6)
        made.addWidget(label("Adjusters", "section"))
        made.addWidget(self.facts)
        for name in ("altitude", "azimuth"):
            note = QLineEdit()
            note.setAccessibleName(f"Note on the {name} adjuster")
            note.setPlaceholderText(f"a note on {name}")
            note.editingFinished.connect(lambda n=name, field=note: keep_note(n, field.text()))
            self.notes[name] = note
            made.addWidget(note)
        whole(made, self)

    def show_kept(self, kept: KeptPolar) -> None:
        facts = []
        for name in ("altitude", "azimuth"):
            adjuster = kept.adjuster(name)  # type: ignore[arg-type]
            gain = adjuster.gain
            if gain is None:
                count = len(adjuster.turns)
                said = f"{count} turn{'s' * (count != 1)} seen" if count else "not turned yet"
            else:
                ways = ("raises", "lowers") if name == "altitude" else ("east", "west")
                said = f"a turn clockwise: {abs(gain.arcmin_per_turn):.1f}′ {ways[gain.arcmin_per_turn < 0]}"
            facts.append((name, said))
            field = self.notes[name]
            if not field.hasFocus() and field.text() != adjuster.note:
                field.setText(adjuster.note)
        self.facts.show_facts(facts)
