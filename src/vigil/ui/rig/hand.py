"""A device worked by hand: its controls, what it can't do and why, and how the last thing went."""

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from vigil.documents.actions import Action, Takes, Value
from vigil.documents.deeds import Deed, Stage
from vigil.documents.hand import ALL, actions_of, find_action
from vigil.documents.messages import DeviceReport
from vigil.ui.caret import TextLine
from vigil.ui.linkstate import LinkState
from vigil.ui.pieces import Choice, button, label, row, wrapped
from vigil.ui.rig.goto import GoTo
from vigil.ui.session import Session
from vigil.ui.theme import set_styled

_NUDGES = (("north", 0, 1, "↑"), ("west", 1, 2, "→"), ("east", 1, 0, "←"), ("south", 2, 1, "↓"))
_NUDGE_S = 1.0
_FIELDS_A_LINE = 2
_GOES = ("slew", "centre", "frame")
_FIRST_VALUES = {"exposure_s": "2", "binning": "1"}
_BESIDE_EACH_OTHER = {"connect", "disconnect", "stop", "warm", "park", "unpark", "on", "off", "open", "close"}


class ByHand(QWidget):
    """The controls of one device. `framed` tells of a frame's file that has been taken."""

    framed = pyqtSignal(str, str)
    rebuilt = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._device = ""
        self.controls: dict[str, QPushButton] = {}
        self._inputs: list[QWidget] = []
        self.told = wrapped("", "small")
        self.cannot = wrapped("", "small")
        self._body: QWidget | None = None
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(6)
        self._layout.addWidget(self.cannot)
        self._layout.addWidget(self.told)
        session.deed_told.connect(self._take_deed)
        for signal in (session.devices_changed, session.link_changed, session.night_changed):
            signal.connect(self.refresh)

    def show_device(self, device: str) -> None:
        """Show a device's controls; none for a part that is no device."""
        if device == self._device:
            self.refresh()
            return
        self._device = device
        self.told.setText("")
        self.rebuild()

    def rebuild(self) -> None:
        """Make the controls anew: names of filters, positions, outlets may have changed."""
        if self._body is not None:
            self._layout.removeWidget(self._body)
            self._body.hide()
            self._body.deleteLater()
        self.controls, self._inputs = {}, []
        self._body = QWidget()
        if self._device:
            self._build(QVBoxLayout(self._body))
        self._layout.insertWidget(0, self._body)
        self.rebuilt.emit()
        self.refresh()

    def _build(self, layout: QVBoxLayout) -> None:
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        actions = {action.name: action for action in actions_of(self._device)}
        together = [a for name, a in actions.items() if name in _BESIDE_EACH_OTHER]
        line: QHBoxLayout = row(gap=4)
        for n, action in enumerate(together):
            if n and n % 3 == 0:
                line.addStretch(1)
                layout.addLayout(line)
                line = row(gap=4)
            short = action.words.partition(" and ")[0].capitalize()
            line.addWidget(self._control(action, short, lambda a=action: self._do(a, {})))
        line.addStretch(1)
        layout.addLayout(line)
        for name, action in actions.items():
            if name == "nudge":
                layout.addLayout(self._nudges(action))
            elif name in _GOES:
                if name == _GOES[0]:
                    layout.addWidget(self._go_to(actions))
            elif name not in _BESIDE_EACH_OTHER:
                layout.addLayout(self._line(action))
        if self._device == "focuser":
            layout.addLayout(self._steps(actions["by"]))

    def _line(self, action: Action) -> QVBoxLayout:
        """A button with a field for each value, many of them below it; Enter in a field does it too."""
        inputs = [self._input(value) for value in action.values]

        def go() -> None:
            try:
                given = {v.name: v.read(_text(i)) for v, i in zip(action.values, inputs, strict=True)}
            except ValueError as problem:
                self._say(str(problem), "fault")
                return
            self._do(action, given)

        made = self._control(action, action.words.capitalize(), go)
        made.setMinimumWidth(80)
        many = len(inputs) > 2
        line = row(made, gap=6)
        lines = QVBoxLayout()
        lines.setSpacing(4)
        lines.addLayout(line)
        if many:
            line.addStretch(1)
        for n, (value, each) in enumerate(zip(action.values, inputs, strict=True)):
            if many and n % _FIELDS_A_LINE == 0:
                line = row(gap=6)
                lines.addLayout(line)
            line.addWidget(each, 1)
            if value.name == "binning":
                each.setFixedWidth(34)
                each.setToolTip("binning")
            if isinstance(each, QLineEdit):
                each.returnPressed.connect(go)
            if value.unit and "," not in value.unit and len(action.values) <= 2:
                line.addWidget(label(value.unit, "small"))
        return lines

    def _go_to(self, actions: dict[str, Action]) -> GoTo:
        """One place for the three ways of going somewhere."""
        made = GoTo(self._session)
        made.wanted.connect(lambda how, given: self._do(actions[how], given))
        made.refused.connect(lambda said: self._say(said, "fault"))
        made.go.setProperty("action", _GOES[0])
        made.go.setAccessibleName("mount: go there")
        self.controls["go there"] = made.go
        return made

    def _input(self, value: Value) -> QWidget:
        names = self._names(value)
        made: QWidget
        if names is not None:
            made = Choice()
            made.addItems(names)
        else:
            made = TextLine()
            made.setText(_FIRST_VALUES.get(value.name, ""))
            made.setPlaceholderText(_placeholder(value))
            made.setProperty("role", "number")
        made.setAccessibleName(f"{self._device}: {value.name.replace('_', ' ')}")
        made.setMinimumWidth(34)
        self._inputs.append(made)
        return made

    def _names(self, value: Value) -> list[str] | None:
        rig = self._session.rig
        match self._device, value.name:
            case "filter wheel", "filter":
                return rig.filter_names
            case "mount", "position":
                return [p.name for p in rig.mount.positions] if rig.mount else []
            case "heaters", "heater":
                return [o.name for o in rig.heaters.outputs] if rig.heaters else []
            case "power", "outlet":
                return [o.name for o in rig.power.outlets] if rig.power else []
        return ["on", "off"] if value.takes is Takes.SWITCH else None

    def _nudges(self, action: Action) -> QHBoxLayout:
        """Four directions round the rate."""
        grid = QGridLayout()
        grid.setSpacing(4)
        rate = Choice()
        rates = self._session.rig.mount.hand_rates if self._session.rig.mount else []
        rate.addItems([f"{each:g}" for each in rates])
        rate.setCurrentIndex(max(0, len(rates) - 2))
        rate.setAccessibleName("Rate of small moves, times sidereal")
        rate.setFixedWidth(70)
        for direction, y, x, arrow in _NUDGES:
            go = partial(self._nudge, action, direction, rate)
            made = self._control(action, arrow, go, key=direction)
            made.setAccessibleName(f"Move a little {direction}")
            made.setToolTip(f"{direction}, for {_NUDGE_S:g} s at the rate")
            made.setFixedWidth(44)
            grid.addWidget(made, y, x)
        grid.addWidget(rate, 1, 1)
        self._inputs.append(rate)
        line = row(gap=8)
        line.addLayout(grid)
        line.addWidget(label(f"× sidereal, {_NUDGE_S:g} s", "small"))
        line.addStretch(1)
        return line

    def _nudge(self, action: Action, direction: str, rate: Choice) -> None:
        self._do(action, {"direction": direction, "rate": float(rate.currentText()), "seconds": _NUDGE_S})

    def _steps(self, action: Action) -> QHBoxLayout:
        """Fine and coarse steps both ways."""
        part = self._session.rig.focuser
        steps = (part.coarse_step, part.fine_step) if part else (100, 10)
        line = row(label("step", "small"), gap=4)
        for by in (-steps[0], -steps[1], steps[1], steps[0]):
            text = f"{'−' if by < 0 else '+'}{abs(by)}"
            made = self._control(action, text, lambda by=by: self._do(action, {"steps": by}), key=text)
            made.setAccessibleName(f"Move the focuser by {by}")
            line.addWidget(made)
        line.addStretch(1)
        return line

    def _control(self, action: Action, text: str, go: Callable[[], None], key: str = "") -> QPushButton:
        made = button(text, "small", action.words)
        made.setAccessibleName(f"{self._device}: {action.words}")
        made.setProperty("action", action.name)
        made.clicked.connect(lambda _=False: go())
        self.controls[key or action.name] = made
        return made

    def _do(self, action: Action, given: dict[str, Any]) -> None:
        self._say(f"{action.words} …", "small")
        self._session.device(self._device, action.name, **given)

    def do(self, action: str) -> None:
        """Something that needs no value, as its button does it."""
        self._do(find_action(self._device, action), {})

    def refresh(self) -> None:
        report: DeviceReport | None = self._session.reports.get(self._device)
        for made in self.controls.values():
            why = hindrance(self._session, self._device, str(made.property("action")))
            made.setEnabled(not why)
            made.setToolTip(why or made.accessibleName())
        reasons = dict(report.cannot) if report and report.lamp in ("ready", "busy") else {}
        said = [f"can't {name}: {why}" for name, why in reasons.items()]
        if report is not None and report.fault:
            said = [report.fault, report.advice]
        self.cannot.setText("\n".join(x for x in said if x))
        set_styled(self.cannot, "role", "fault" if report is not None and report.fault else "small")
        self.cannot.setVisible(bool(self.cannot.text()))
        self.told.setVisible(bool(self.told.text()))

    def _take_deed(self, deed: Deed) -> None:
        if deed.device not in (self._device, ALL):
            return
        if deed.stage is Stage.FAILED:
            self._say(deed.reason, "fault")
        elif deed.stage is Stage.BEGUN:
            self._say(f"{deed.words} …", "small")
        elif deed.device == self._device:
            self._say(deed.reason, "small")
        if "path" in deed.values:
            self.framed.emit(str(deed.values["path"]), deed.reason)

    def _say(self, text: str, role: str) -> None:
        self.told.setText(text)
        set_styled(self.told, "role", role)
        self.told.setVisible(bool(text))


def hindrance(session: Session, device: str, action: str) -> str:
    """Why something can't be asked of a device now; empty when it can."""
    report = session.reports.get(device)
    if session.link is not LinkState.OPEN:
        return "no keeper answers"
    if report is None:
        return "the keeper does not know it yet"
    if session.run in ("running", "closing") and action != "stop":
        return "a night runs: hold it first"
    connected = report.lamp in ("ready", "busy")
    if action == "connect":
        return "connected already" if connected and not report.fault else ""
    return report.cannot.get(action, "") if connected else "not connected"


def _text(made: QWidget) -> str:
    return (
        made.currentText() if isinstance(made, Choice) else made.text() if isinstance(made, QLineEdit) else ""
    )


def _placeholder(value: Value) -> str:
    name = value.name.removesuffix("_s").removesuffix("_c").removesuffix("_deg")
    return {"ra": "05 16 12", "dec": "+34 27"}.get(value.name, name.replace("_", " "))
