"""All controls in all states, to judge them together."""

from datetime import UTC, datetime

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from vigil.documents.reasonlog import Sentence, Weight
from vigil.ui.caret import TextLine
from vigil.ui.fields import ValueField, number
from vigil.ui.overlay import Banner
from vigil.ui.pieces import Choice, Facts, Lamp, Note, OneLine, ProgressBar, button, column, label, row
from vigil.ui.theme import Size, theme
from vigil.ui.watch.conditions import Conditions
from vigil.ui.watch.reasons import Reasons

_AT = datetime(2027, 1, 12, 21, 14, tzinfo=UTC)


class Gallery(QWidget):
    """Made up values; nothing here does anything."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("workspace")
        self.setWindowTitle("Vigil — gallery of controls")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        grid = QGridLayout(self)
        grid.setContentsMargins(20, 20, 20, 20)
        grid.setHorizontalSpacing(32)
        grid.setVerticalSpacing(20)
        for i, (name, part) in enumerate(
            (
                ("Buttons", self._buttons()),
                ("Fields", self._fields()),
                ("Text", self._texts()),
                ("Lamps and progress", self._lamps()),
                ("Conditions", self._conditions()),
                ("Reasons", self._reasons()),
                ("Facts", self._facts()),
                ("Message", self._banner()),
                (
                    "Empty state",
                    Note(
                        "No target in tonight's plan",
                        "Find one, and put it in the plan.",
                        button("Find a target", "primary"),
                    ),
                ),
            )
        ):
            cell = QVBoxLayout()
            cell.setSpacing(Size.GAP)
            cell.addWidget(label(name, "section"))
            cell.addWidget(part)
            cell.addStretch(1)
            grid.addLayout(cell, i // 3, i % 3)
        for column_number in range(3):
            grid.setColumnStretch(column_number, 1)
        theme.changed.connect(self.update)

    def _buttons(self) -> QWidget:
        made = QWidget()
        checked = button("Checked")
        checked.setCheckable(True)
        checked.setChecked(True)
        plain_checked = button("×60", "plain")
        plain_checked.setCheckable(True)
        plain_checked.setChecked(True)
        rows = []
        for role in ("primary", "", "fault", "plain"):
            off = button("Can't now", role)
            off.setEnabled(False)
            rows.append(
                _in_a_row(
                    button(
                        {"primary": "Start the night", "fault": "End the night", "plain": "Fit"}.get(
                            role, "Hold"
                        ),
                        role,
                    ),
                    off,
                )
            )
        focused = _in_a_row(checked, plain_checked, QCheckBox("Checkbox"))
        made.setLayout(column(*rows, focused))
        return made

    def _fields(self) -> QWidget:
        def refuse(text: str) -> None:
            number(text, "exposure", 0, 3600)

        plain, typed, wrong, off = (ValueField("Exposure", refuse, lambda _: None) for _ in range(4))
        for field, value in ((plain, "180"), (typed, "180"), (wrong, "180"), (off, "180")):
            field.show_value(value)
            field.setFixedWidth(80)
        typed.setText("240")
        typed._mark()
        wrong.setText("soon")
        wrong.commit()
        off.setEnabled(False)
        search = TextLine()
        search.setPlaceholderText("name or alias")
        combo = Choice()
        combo.addItems(["Ha", "O3", "L"])
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setValue(40)
        made = QWidget()
        made.setLayout(
            column(
                _in_a_row(plain, label("in force", "small")),
                _in_a_row(typed, label("typed, not yet in force", "small")),
                _in_a_row(wrong, label("refused", "small")),
                _in_a_row(off, label("can't be changed now", "small")),
                search,
                _in_a_row(combo, slider),
            )
        )
        return made

    def _texts(self) -> QWidget:
        made = QWidget()
        line = OneLine()
        line.say("A line that is too long for its place is cut with an ellipsis and whole in its tooltip")
        made.setLayout(
            column(
                label("All quiet", "head"),
                label("Holding", "head-warn"),
                label("No keeper", "head-fault"),
                label("IC 405 · Ha 180 s", "title"),
                label("Body text"),
                label("Soft text", "soft"),
                label("Small text", "small"),
                label("05h 16m 29s  +34° 21′", "number"),
                label("4 of 14 B frames lost to dawn", "warn"),
                line,
            )
        )
        return made

    def _lamps(self) -> QWidget:
        made = QWidget()
        lamps = []
        for name, state in (
            ("mount", "ready"),
            ("camera", "busy"),
            ("focuser", "not connected"),
            ("filters", "fault"),
        ):
            lamp = Lamp(name)
            lamp.show_state(state)
            lamps.append(lamp)
        bars = []
        for share in (0.0, 0.65, 1.0, None):
            bar = ProgressBar()
            bar.show_share(share)
            bars.append(bar)
        made.setLayout(column(_in_a_row(*lamps), *bars, gap=14))
        return made

    def _conditions(self) -> QWidget:
        made = Conditions()
        made.show_checks(
            [
                {
                    "condition": "camera cold",
                    "standing": "met",
                    "words": "−10.0 °C",
                    "gauges": [_gauge("off set-point", 0.1, 0.5, "°C")],
                },
                {
                    "condition": "focus fresh",
                    "standing": "met",
                    "words": "",
                    "gauges": [_gauge("since focus", 81, 90, "min")],
                },
                {
                    "condition": "disk",
                    "standing": "met",
                    "words": "",
                    "gauges": [_gauge("free on disk", 83.9, 0.24, "GB", True)],
                },
                {"condition": "tracking", "standing": "met", "words": "sidereal", "gauges": []},
                {
                    "condition": "on target",
                    "standing": "unknown",
                    "words": "not solved on this target yet",
                    "gauges": [],
                },
                {
                    "condition": "filter",
                    "standing": "not met",
                    "words": "Ha is not in the beam",
                    "gauges": [],
                },
            ]
        )
        return made

    def _reasons(self) -> QWidget:
        made = Reasons("Europe/Vienna")
        made.show_sentences(
            [
                Sentence(
                    1, _AT, "centred: 0.3 px off after frame 3, limit 4", "not solved on this target yet"
                ),
                Sentence(2, _AT, "held", "clouds: 410 stars where 1 400 were", Weight.NOTICE),
                Sentence(3, _AT, "device lost", "camera lost: no answer for 10 s", Weight.FAULT),
            ]
        )
        return made

    def _facts(self) -> QWidget:
        made = Facts()
        made.show_facts(
            [("right ascension", "05h 16m 29s"), ("declination", "+34° 21′ 22″"), ("usable", "9 h 42")]
        )
        return made

    def _banner(self) -> QWidget:
        made = Banner()
        made.say(
            "The keeper has died: nothing looks after the night.", "Start the keeper again", lambda: None
        )
        return made


def _gauge(words: str, value: float, limit: float, unit: str, at_least: bool = False) -> dict[str, object]:
    return {"words": words, "value": value, "limit": limit, "unit": unit, "at_least": at_least}


def _in_a_row(*widgets: QWidget) -> QWidget:
    made = QWidget()
    layout: QHBoxLayout = row(*widgets)
    layout.addStretch(1)
    made.setLayout(layout)
    return made
