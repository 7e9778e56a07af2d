"""Go there: the row that sends the telescope, and what it says meanwhile."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from vigil.documents.deeds import Deed, Stage
from vigil.ui.gochoices import GoChoices
from vigil.ui.pieces import OneLine, button, column, row
from vigil.ui.session import Session
from vigil.ui.targets.framemodel import FrameModel
from vigil.ui.turning import TurningDial

_HOW = ("slew", "centre", "frame")


class GoThere(QWidget):
    """One button, and how. `dial_wanted` asks for the dial in place of the chart,
    or for the chart again; `angle_found` tells the camera's angle by a solved frame."""

    dial_wanted = pyqtSignal(bool)
    angle_found = pyqtSignal(float)

    def __init__(self, session: Session, frame: FrameModel, dial: TurningDial) -> None:
        super().__init__()
        self._session, self._frame, self._dial = session, frame, dial
        self.there = button("Go there", "small", "Send the telescope to what is framed")
        self.choices = GoChoices(lambda said: self.words.say(said, "warn"), asks_angle=False)
        self.stop = button("Stop", "small", "Stop the telescope and what goes on")
        self.stop.hide()
        self.words = OneLine("soft", size=12)
        self.there.clicked.connect(lambda: self.go(self.choices.how))
        self.stop.clicked.connect(lambda: session.device("mount", "stop"))
        session.deed_told.connect(self._told)
        layout = column(gap=4)
        first = row(self.there, self.choices, self.stop, gap=8)
        first.setStretch(1, 1)
        layout.addLayout(first)
        layout.addWidget(self.words)
        self.setLayout(layout)

    def go(self, how: str) -> None:
        """`how` is the mount's action: "slew", "centre" or "frame"."""
        frame = self._frame.frame
        if frame is None:
            return
        g = frame.framing
        self.choices.at_angle.setChecked(how == "frame")
        self.choices.centred.setChecked(how != "slew")
        if how == "frame":
            if self._frame.angle_locked:
                # this angle is wanted: the outline must not follow the camera while a person turns it
                self._frame.unlock(True)
            self._dial.begin(f"{frame.name} at {g.position_angle_deg % 180:.1f}°")
        self.words.say("asked for…", "soft")
        self._session.device("mount", how, **self.choices.values(g.ra_deg, g.dec_deg, g.position_angle_deg))

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
