"""Go there: the row that sends the telescope, and what it says meanwhile."""

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from vigil.documents.deeds import Deed, Stage
from vigil.ui.fields import ValueField, number
from vigil.ui.pieces import OneLine, button, column, label, row
from vigil.ui.session import Session
from vigil.ui.targets.framemodel import FrameModel
from vigil.ui.turning import TurningDial

_HOW = ("slew", "centre", "frame")
_USUAL_REACH_PX = 4.0


class GoThere(QWidget):
    """Slew; slew and centre; slew, turn and centre. `dial_wanted` asks for the dial in place of the chart,
    or for the chart again; `angle_found` tells the camera's angle by a solved frame."""

    dial_wanted = pyqtSignal(bool)
    angle_found = pyqtSignal(float)

    def __init__(self, session: Session, frame: FrameModel, dial: TurningDial) -> None:
        super().__init__()
        self._session, self._frame, self._dial = session, frame, dial
        self.slew = button("Slew", "small", "Send the telescope there")
        self.centre = button(
            "+ centre", "small", "Slew, take a frame, solve, correct, until it is within reach"
        )
        self.turn = button("+ turn", "small", "Slew, bring the camera to this angle, centre")
        self.reach = ValueField(
            "Centred within, pixels", self._set_reach, lambda said: self.words.say(said, "warn")
        )
        self.reach.setFixedWidth(40)
        self._reach_px = _USUAL_REACH_PX
        self.stop = button("Stop", "small", "Stop the telescope and what goes on")
        self.stop.hide()
        self.words = OneLine("soft", size=12)
        for made, how in zip((self.slew, self.centre, self.turn), _HOW, strict=True):
            made.clicked.connect(lambda _=False, how=how: self.go(how))
        self.stop.clicked.connect(lambda: session.device("mount", "stop"))
        session.deed_told.connect(self._told)
        layout = column(gap=4)
        layout.addLayout(row(label("Go there", "small"), self.slew, self.centre, self.turn, gap=4))
        layout.addLayout(
            row(self.words, label("within", "small"), self.reach, label("px", "small"), self.stop, gap=4)
        )
        self.reach.show_value(f"{self._reach_px:g}")
        self.setLayout(layout)

    def go(self, how: str) -> None:
        """`how` is the mount's action: "slew", "centre" or "frame"."""
        frame = self._frame.frame
        if frame is None:
            return
        g = frame.framing
        values: dict[str, Any] = {"ra": f"{g.ra_deg:.6f}", "dec": f"{g.dec_deg:.6f}"}
        if how != "slew":
            values["reach_px"] = self._reach_px
        if how == "frame":
            values["angle_deg"] = g.position_angle_deg
            if self._frame.angle_locked:
                # this angle is wanted: the outline must not follow the camera while a person turns it
                self._frame.unlock(True)
            self._dial.begin(f"{frame.name} at {g.position_angle_deg % 180:.1f}°")
        self.words.say("asked for…", "soft")
        self._session.device("mount", how, **values)

    def _set_reach(self, text: str) -> None:
        wanted = number(text.removesuffix("px"), "reach", 0, 100)
        if wanted < 1:
            raise ValueError(f"reach: {wanted:g} px is finer than a frame tells; 1 or more")
        self._reach_px = wanted
        self.reach.show_value(f"{wanted:g}")

    def _told(self, deed: Deed) -> None:
        if deed.device != "mount" or deed.action not in _HOW:
            return
        values = deed.values
        self.stop.setVisible(not deed.over)
        if "position_angle_deg" in values:
            self.angle_found.emit(float(values["position_angle_deg"]))
        if "turn_deg" in values:
            turn = float(values["turn_deg"])
            self._dial.show_turn(turn, float(values["limit_deg"]), str(values["way"]), int(values["attempt"]))
            if not self._frame.turns_by_itself:
                self.dial_wanted.emit(True)
        if deed.over or "off_px" in values:
            self.dial_wanted.emit(False)
        if deed.stage is Stage.FAILED:
            self.words.say(f"not there: {deed.reason}", "warn")
        elif deed.stage is Stage.DONE:
            self.words.say(deed.reason, "accent")
        else:
            self.words.say(deed.reason or "on the way…", "soft")
