"""The tools beside the star while getting near: the loop, steps of the focuser, its frames."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QPushButton, QWidget

from vigil.documents.errands import ErrandState
from vigil.documents.rig import Rig
from vigil.ui.fields import number
from vigil.ui.pieces import Choice, Facts, Told, button, column, label, row
from vigil.ui.tune.tools import Doing, left, line, value_field, whole

_PARTS = (("whole frame", 0), ("512 px", 512), ("256 px", 256), ("128 px", 128))
_KEYS = "On the picture: left and right arrows, with Shift for large steps; click another star."


class NearTools(QWidget):
    """`turn` moves the focuser by a step: which way, and whether a coarse one. `look` begins the loop."""

    def __init__(self, doing: Doing, look: Callable[..., None], turn: Callable[[int, bool], None]) -> None:
        super().__init__()
        self.wish: dict[str, Any] = {"exposure_s": 1.0, "binning": 1, "window": 0, "mask": False}
        self.look = button("Look at a star", "primary", "Short frames one after another, until stopped")
        self.look_guider = button("With the guide camera", "", "The same with the guide camera")
        self.stop = button("Stop", "", "Stop looking")
        self.look.clicked.connect(lambda: look(guides=False))
        self.look_guider.clicked.connect(lambda: look(guides=True))
        self.stop.clicked.connect(doing.stop)
        self.exposure = value_field("Exposure, s", self._set_exposure, doing.say)
        self.binning, self.part = Choice(), Choice()
        self.binning.addItems(["1", "2", "3", "4"])
        self.binning.setAccessibleName("Binning")
        self.binning.currentTextChanged.connect(lambda text: self.wish.update(binning=int(text or 1)))
        self.part.setAccessibleName("Part of the frame around the star")
        for text, pixels in _PARTS:
            self.part.addItem(text, pixels)
        self.part.currentIndexChanged.connect(lambda _: self.wish.update(window=self.part.currentData() or 0))
        self.mask = QCheckBox("diffraction mask is on")
        self.mask.toggled.connect(lambda on: self.wish.update(mask=on))
        self.steps: list[QPushButton] = []
        steps = row(gap=4)
        for way, coarse in ((-1, True), (-1, False), (1, False), (1, True)):
            made = button("", "small")
            made.clicked.connect(lambda _, w=way, c=coarse: turn(w, c))
            self.steps.append(made)
            steps.addWidget(made)
        steps.addStretch(1)
        self.position = Facts()
        all_ = column(gap=6)
        all_.addLayout(left(self.look, self.stop))
        all_.addLayout(left(self.look_guider))
        all_.addWidget(label("Turn the focuser", "section"))
        all_.addLayout(steps)
        all_.addWidget(self.position)
        all_.addWidget(Told(_KEYS, "small"))
        all_.addWidget(label("Frames", "section"))
        all_.addWidget(line("exposure", self.exposure, "s"))
        all_.addWidget(line("binning", self.binning))
        all_.addWidget(line("part", self.part))
        all_.addWidget(self.mask)
        whole(all_, self)

    def _set_exposure(self, text: str) -> None:
        self.wish["exposure_s"] = number(text.removesuffix("s"), "exposure", 0.001, 600)

    def show_all(
        self, rig: Rig, hindered: bool, busy: ErrandState | None, position: int | None, may_turn: bool
    ) -> None:
        """`position` is the focuser's; None where it doesn't say."""
        self.look.setEnabled(not hindered)
        self.look_guider.setEnabled(not hindered)
        self.look_guider.setVisible(rig.guider is not None)
        self.stop.setEnabled(busy is not None)
        self.exposure.show_value(f"{self.wish['exposure_s']:g}")
        facts = [] if position is None else [("position", f"{position}")]
        focuser = rig.focuser
        if focuser is not None:
            facts.append(("travel", f"{focuser.lowest} to {focuser.highest}"))
            coarse, fine = focuser.coarse_step, focuser.fine_step
            for made, by in zip(self.steps, (-coarse, -fine, fine, coarse), strict=True):
                made.setText(f"{'−' if by < 0 else '+'}{abs(by)}")
                made.setAccessibleName(f"Move the focuser by {by}")
                made.setEnabled(position is not None and may_turn)
        self.position.show_facts(facts)
