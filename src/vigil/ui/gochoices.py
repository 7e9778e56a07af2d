"""How the telescope goes somewhere: only there, centred, or with the camera at an angle too."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QWidget

from vigil.ui.fields import ValueField, number
from vigil.ui.pieces import column, label, row
from vigil.ui.words import signed

USUAL_REACH_PX = 4.0


class GoChoices(QWidget):
    """Two choices: centred within so many pixels; at an angle, which is typed where `asks_angle`. The angle
    needs frames that are solved, so it is always centred too."""

    def __init__(self, say: Callable[[str], None], asks_angle: bool) -> None:
        super().__init__()
        self.centred, self.at_angle = QCheckBox("centred within"), QCheckBox("at this angle")
        self.centred.setToolTip("Take a frame, solve it and correct, until it is within reach")
        self.at_angle.setToolTip("Bring the camera to the angle: by the rotator, or by you, who is told")
        self.centred.setChecked(True)
        self.reach = ValueField("Centred within, pixels", self._set_reach, say)
        self.reach.setFixedWidth(46)
        self.reach_px = USUAL_REACH_PX
        self.reach.show_value(f"{self.reach_px:g}")
        self.angle_deg = 0.0
        self.angle = ValueField("Position angle, degrees", self._set_angle, say)
        self.angle.setFixedWidth(58)
        self.angle.show_value("0")
        self.at_angle.toggled.connect(lambda on: on and self.centred.setChecked(True))
        self.centred.toggled.connect(lambda on: on or self.at_angle.setChecked(False))
        first = row(self.centred, self.reach, label("px", "small"), gap=6)
        first.addStretch(1)
        second = row(self.at_angle, gap=6)
        if asks_angle:
            self.at_angle.setText("at the angle")
            second.addWidget(self.angle)
            second.addWidget(label("°", "small"))
            self.angle.textEdited.connect(lambda _: self.at_angle.setChecked(True))
        second.addStretch(1)
        layout = column(gap=4)
        layout.addLayout(first)
        layout.addLayout(second)
        self.setLayout(layout)

    @property
    def how(self) -> str:
        """The mount's action."""
        if self.at_angle.isChecked():
            return "frame"
        return "centre" if self.centred.isChecked() else "slew"

    def values(self, ra_deg: float, dec_deg: float, angle_deg: float | None = None) -> dict[str, Any]:
        """What goes with it; without `angle_deg` the typed one."""
        values: dict[str, Any] = {"ra": f"{ra_deg:.6f}", "dec": f"{dec_deg:.6f}"}
        if self.how != "slew":
            values["reach_px"] = self.reach_px
        if self.how == "frame":
            values["angle_deg"] = self.angle_deg if angle_deg is None else angle_deg
        return values

    def _set_reach(self, text: str) -> None:
        wanted = number(text.removesuffix("px"), "reach", 0, 100)
        if wanted < 1:
            raise ValueError(f"reach: {wanted:g} px is finer than a frame tells; 1 or more")
        self.reach_px = wanted
        self.reach.show_value(f"{wanted:g}")

    def _set_angle(self, text: str) -> None:
        self.angle_deg = number(text.removesuffix("°"), "angle", -360, 360) % 360
        self.angle.show_value(signed(self.angle_deg, 1).removesuffix(".0"))
