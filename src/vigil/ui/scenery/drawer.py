"""The simulated sky to play with: what it is like now, dials, faults at once."""

import json
from typing import Any

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QHideEvent, QKeyEvent, QShowEvent
from PyQt6.QtWidgets import QFrame, QVBoxLayout, QWidget

from vigil.documents.scenario.fault import DEVICES_OF, FaultKind
from vigil.documents.scenario.shipped import load_shipped
from vigil.documents.shippedscenarios import shipped
from vigil.ui import words
from vigil.ui.fields import ValueField, number
from vigil.ui.linkstate import LinkState
from vigil.ui.pieces import Choice, Facts, button, label, row, wrapped
from vigil.ui.scenery.dial import Dial
from vigil.ui.session import Session
from vigil.ui.workspace import scrolled

_LOOK_MS, _AMOUNT_PX = 1000, 40
_WIDTH = 300
_DIALS = (
    ("Seeing", "″", 0.8, 8.0, "air.seeing_arcsec", "seeing_arcsec"),
    ("Cloud all over", "mag", 0.0, 6.0, "air.overcast_mag", ""),
    ("Wind", "m/s", 0.0, 20.0, "air.wind_m_s", "wind_m_s"),
    ("Humidity", "%", 20.0, 100.0, "air.humidity_percent", "humidity_percent"),
)
"""(name, unit, least, most, field, what it is now where the field is empty)."""
_MOONS: tuple[tuple[str, dict[str, Any]], ...] = (
    ("moon as it is", {"sky.moonlight": True, "sky.moon": None}),
    ("no moon", {"sky.moonlight": False, "sky.moon": None}),
    (
        "half moon, 60° away",
        {"sky.moonlight": True, "sky.moon": {"illumination": 0.5, "apart_deg": 60.0, "altitude_deg": 45.0}},
    ),
    (
        "full moon, 40° away",
        {"sky.moonlight": True, "sky.moon": {"illumination": 1.0, "apart_deg": 40.0, "altitude_deg": 45.0}},
    ),
)


class SceneryDrawer(QFrame):
    """Asks the keeper once a second while it is open."""

    closed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.setObjectName("inspector")
        self.setFixedWidth(_WIDTH)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._session = session
        self._minutes = 10.0
        self.scenarios, self.moon = Choice(), Choice()
        self.kind, self.device = Choice(), Choice()
        self.now = Facts()
        self.dials = {
            field: Dial(name, unit, low, high, 0 if unit == "%" else 1)
            for name, unit, low, high, field, _ in _DIALS
        }
        self.minutes = ValueField("minutes that the fault lasts", self._set_minutes, self._say)
        self.go = button("Now", "", "The fault begins at once")
        self._turn_arcmin = 5.0
        self.by = ValueField("arc-minutes that an adjuster is turned by", self._set_turn, self._say)
        self.adjusters = {
            name: button(name, "small", f"Turn the polar axis's adjuster: {name}")
            for name in ("higher", "lower", "east", "west")
        }
        self.on = wrapped("", "small")
        self.said = wrapped("", "small")
        self._lay_out()
        self._fill()
        self._connect()
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.look)
        self._show_link()
        # where the keyboard begins: a first arrow must not change the whole scenario
        self.setFocusProxy(self.dials[_DIALS[0][4]].slider)

    # -- building --------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        self._close = button("×", "plain", "Close the drawer", "F7")
        self._close.setAccessibleName("Close the drawer")
        head = row(label("Simulated sky", "head-warn"))
        head.addStretch(1)
        head.addWidget(self._close)
        told = wrapped("Vigil itself is told none of this.", "small")
        self.body = QWidget()
        body = QVBoxLayout(self.body)
        body.setContentsMargins(0, 0, 0, 0)
        body.setSpacing(5)
        self.by.setFixedWidth(_AMOUNT_PX)
        turns = list(self.adjusters.values())
        ways = row(*turns, gap=4)
        ways.addStretch(1)
        amount = row(label("by"), self.by, label("′"), gap=6)
        amount.addStretch(1)
        adjusters = QWidget()
        rows = QVBoxLayout(adjusters)
        rows.setContentsMargins(0, 0, 0, 0)
        rows.setSpacing(4)
        rows.addLayout(amount)
        rows.addLayout(ways)
        parts: list[QWidget] = [
            label("Scenario", "section"),
            self.scenarios,
            label("Now", "section"),
            self.now,
            label("Turn", "section"),
            *self.dials.values(),
            self.moon,
            label("The mount's adjusters", "section"),
            adjusters,
            label("Goes wrong at once", "section"),
            self.kind,
            self.device,
        ]
        for part in parts:
            body.addWidget(part)
        self.minutes.setFixedWidth(56)
        lasting = row(label("for"), self.minutes, label("min"), gap=6)
        lasting.addStretch(1)
        lasting.addWidget(self.go)
        body.addLayout(lasting)
        body.addWidget(self.on)
        body.addWidget(self.said)
        body.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 12, 6, 8)
        layout.setSpacing(4)
        layout.addLayout(head)
        layout.addWidget(told)
        inner = QWidget()
        margins = QVBoxLayout(inner)
        margins.setContentsMargins(0, 0, 10, 0)
        margins.addWidget(self.body)
        layout.addWidget(scrolled(inner), 1)

    def _fill(self) -> None:
        self.scenarios.setAccessibleName("scenario")
        for name in shipped():
            scenario = load_shipped(name)
            self.scenarios.addItem(scenario.name, name)
            self.scenarios.setItemData(self.scenarios.count() - 1, scenario.notes, 3)
        self.moon.setAccessibleName("moon")
        for name, values in _MOONS:
            self.moon.addItem(name, values)
        self.kind.setAccessibleName("what goes wrong")
        have = self._session.rig.device_names
        for kind in FaultKind:
            devices = DEVICES_OF[kind]
            if not devices or any(device in have for device in devices):
                self.kind.addItem(kind.value, kind)
        self.device.setAccessibleName("to which device")
        self.minutes.show_value(f"{self._minutes:g}")
        self.by.show_value(f"{self._turn_arcmin:g}")
        self._show_devices()

    def _connect(self) -> None:
        session = self._session
        session.scenery_told.connect(self._take)
        session.scenery_refused.connect(lambda why: self._say(f"Not done: {why}"))
        session.link_changed.connect(self._show_link)
        self._close.clicked.connect(self.closed)
        self.scenarios.activated.connect(lambda _: self._take_scenario())
        self.moon.activated.connect(lambda _: self._ask(values=self.moon.currentData()))
        self.kind.currentIndexChanged.connect(lambda _: self._show_devices())
        self.go.clicked.connect(self._go_wrong)
        for name, turn in self.adjusters.items():
            turn.clicked.connect(lambda _, n=name: self._turn(n))
        for field, dial in self.dials.items():
            dial.turned.connect(lambda value, f=field: self._ask(values={f: value}))

    # -- asking ----------------------------------------------------------------------------------------

    def look(self) -> None:
        self._session.scenery()

    def _ask(self, **asked: Any) -> None:
        self._say("")
        self._session.scenery(**asked)

    def _take_scenario(self) -> None:
        self._ask(scenario=load_shipped(self.scenarios.currentData()).model_dump(mode="json"))

    def _go_wrong(self) -> None:
        self.minutes.commit()
        if self.minutes.state == "wrong":
            return
        fault = {"kind": self.kind.currentData().value, "minutes": self._minutes}
        if self.device.count():
            fault["device"] = self.device.currentText()
        self._ask(fault=fault)

    def _set_minutes(self, text: str) -> None:
        self._minutes = number(text, "minutes", 0.0, 1440.0)
        self.minutes.show_value(f"{self._minutes:g}")

    def _set_turn(self, text: str) -> None:
        self._turn_arcmin = number(text.rstrip("′ "), "turned by", 0.0, 600.0)
        self.by.show_value(f"{self._turn_arcmin:g}")

    def _turn(self, name: str) -> None:
        """As a hand at the mount would: they stick and jump as the scenario has it."""
        self.by.commit()
        if self.by.state != "wrong":
            ways = {"higher": (1, 0), "lower": (-1, 0), "east": (0, 1), "west": (0, -1)}
            self._ask(adjusters=[self._turn_arcmin * way for way in ways[name]])

    # -- showing ---------------------------------------------------------------------------------------

    def _show_devices(self) -> None:
        kind = self.kind.currentData()
        have = self._session.rig.device_names
        devices = [d for d in (DEVICES_OF[kind] if kind else ()) if d in have]
        self.device.clear()
        if len(devices) > 1:
            self.device.addItems(devices)
        self.device.setVisible(len(devices) > 1)

    def _take(self, told: dict[str, Any]) -> None:
        scenario, now = json.loads(told["scenario"]), told["now"]
        self.now.show_facts(
            [
                ("cloud", f"{now['cloud_mag']:.1f} mag"),
                ("air", f"{words.signed(now['temperature_c'])} °C, {now['humidity_percent']:.0f} %"),
                ("dew on the optics", _dew(now["dew"])),
            ]
        )
        for _, _, _, _, field, at_present in _DIALS:
            section, name = field.split(".")
            value = scenario[section][name]
            self.dials[field].show_value(now[at_present] if value is None else value)
        self._show_choices(scenario)
        self.on.setText("\n".join(told["faults"]))

    def _show_choices(self, scenario: dict[str, Any]) -> None:
        named = self.scenarios.findText(scenario["name"])
        if not self.scenarios.hasFocus():
            self.scenarios.setCurrentIndex(named)
            self.scenarios.setPlaceholderText(scenario["name"])
        in_force = {key: scenario["sky"][key.split(".")[1]] for key in _MOONS[0][1]}
        if not self.moon.hasFocus():
            moons = [values for _, values in _MOONS]
            self.moon.setCurrentIndex(moons.index(in_force) if in_force in moons else -1)

    def _show_link(self) -> None:
        there = self._session.link is LinkState.OPEN
        self.body.setEnabled(there)
        self._say("" if there else "No keeper answers: there is no sky to play with.")

    def _say(self, text: str) -> None:
        self.said.setText(text)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.closed.emit()
            return
        super().keyPressEvent(event)

    def showEvent(self, event: QShowEvent | None) -> None:
        super().showEvent(event)
        self.look()
        self._timer.start()

    def hideEvent(self, event: QHideEvent | None) -> None:
        super().hideEvent(event)
        self._timer.stop()


def _dew(dew: float) -> str:
    if dew < 0.02:
        return "none"
    return "a breath" if dew < 0.3 else "thick" if dew > 1.2 else "some"
