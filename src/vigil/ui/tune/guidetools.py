"""The tools beside the guiding graph: begin and stop, how it goes, each axis's settings."""

from collections.abc import Callable
from typing import Any

from PyQt6.QtWidgets import QGridLayout, QWidget

from vigil.documents.errands import ErrandState
from vigil.documents.guiding import GUIDING
from vigil.documents.rig import Rig
from vigil.documents.rig.guider import GuiderPart
from vigil.guiding.laws import LAWS
from vigil.ui.fields import ValueField, number, whole_number
from vigil.ui.pieces import Choice, Facts, Told, button, column, label
from vigil.ui.tune.tools import Doing, left, line, value_field, whole

_ROWS = (("strength", "strength"), ("dead_band_arcsec", "dead band, ″"), ("longest_pulse_ms", "longest, ms"))
_WORM = (("period_s", "worm's period, s"), ("wave_arcsec", "worm's wave, ″"))
"""For the predictive method, which looks for what is left empty."""
_FIELDS = (*_ROWS, *_WORM)
_READ: dict[str, Callable[[str], Any]] = {
    "strength": lambda t: number(t, "correction strength", 0, 2),
    "dead_band_arcsec": lambda t: number(t.removesuffix("″"), "dead band", 0, 60),
    "longest_pulse_ms": lambda t: whole_number(t.removesuffix("ms"), "longest pulse", 10, 20_000),
    "period_s": lambda t: number(t.removesuffix("s"), "worm's period", 10, 10_000) if t.strip() else None,
    "wave_arcsec": lambda t: number(t.removesuffix("″"), "worm's wave", 0.01, 600) if t.strip() else None,
}
_KEPT_PX, _SIDE_PX = 84, 62
_SIDES = {"any": "", "east": "east", "west": "west"}
"""Where the calibration place is: as the mount looks now, or asked for."""
_AXIS_WORDS = (("ra", "right asc."), ("dec", "declination"))


class GuideTools(QWidget):
    """Settings are the rig's: what is entered is in force with the next frame, and Back takes it back."""

    def __init__(
        self,
        doing: Doing,
        back: Callable[[], None],
        from_here: Callable[[], None],
        tell: Callable[..., None],
    ) -> None:
        super().__init__()
        self._doing = doing
        self._guider: GuiderPart | None = None
        self.guide = button("Guide", "primary", "Choose stars and guide, until stopped")
        self.watch = button("Only watch", "", "A record without corrections, for a study")
        self.calibrate = button("Calibrate", "", "Which way and how far a star moves for a correction")
        self.calibrate_there = button("Go there, calibrate", "", "Near the equator and the meridian")
        self.stop = button("Stop", "", "Stop what the bench is doing")
        self.guide.clicked.connect(lambda: doing.begin("guiding"))
        self.watch.clicked.connect(lambda: doing.begin("guiding", corrects=False))
        self.calibrate.clicked.connect(lambda: doing.begin("guide calibration"))
        self.meridian = Choice()
        self.meridian.addItems(_SIDES)
        self.meridian.setFixedWidth(_SIDE_PX)
        self.meridian.setAccessibleName("Side of the meridian to calibrate on")
        self.meridian.setToolTip("Of the meridian, where the calibration place is")
        self.calibrate_there.clicked.connect(
            lambda: doing.begin("guide calibration", goes=True, side=_SIDES[self.meridian.currentText()])
        )
        self.stop.clicked.connect(doing.stop)
        self.dither = button(
            "Dither", "small", "Move the star by a few pixels of the main camera, and settle"
        )
        self.dither.clicked.connect(lambda: tell(what="dither"))
        self.test_ra = button(
            "Test right asc.", "small", "A small move: how far it overshoots, how soon it is back"
        )
        self.test_dec = button("Test dec", "small", "The same in declination")
        self.test_ra.clicked.connect(lambda: tell(what="response", axis="ra"))
        self.test_dec.clicked.connect(lambda: tell(what="response", axis="dec"))
        self.back = button("Back", "small", "The settings from before the last change")
        self.from_here = button("From here", "small", "Figures from now on only")
        self.back.clicked.connect(back)
        self.from_here.clicked.connect(from_here)
        self.kept = Choice()
        self.kept.setEditable(True)
        self.kept.setFixedWidth(_KEPT_PX)
        self.kept.setAccessibleName("Settings kept under a name")
        self.use, self.keep = (
            button("Use", "small", "These settings"),
            button("Keep", "small", "As this name"),
        )
        self.use.clicked.connect(self._use)
        self.keep.clicked.connect(self._keep)
        self.exposure = value_field("Guide exposure, s", self._set_exposure, doing.say)
        self.laws: dict[str, Choice] = {}
        self.fields: dict[tuple[str, str], ValueField] = {}
        self.names: dict[str, QWidget] = {}
        self.figures, self.said = Facts(), Told("", "soft", lines=5)
        made = column(gap=6)
        made.addLayout(left(self.guide, self.watch, self.stop))
        made.addLayout(left(self.calibrate, self.calibrate_there, self.meridian))
        self._goes = label("How it goes", "section")
        made.addWidget(self._goes)
        made.addWidget(self.figures)
        made.addWidget(self.said)
        made.addWidget(label("Settings", "section"))
        made.addWidget(line("exposure", self.exposure, "s"))
        for axis, words in _AXIS_WORDS:
            law = Choice()
            law.addItems(LAWS)
            law.setAccessibleName(f"Method, {words}")
            law.activated.connect(lambda _, a=axis: self._set_law(a))
            self.laws[axis] = law
            made.addWidget(line(words, law))
        made.addWidget(self._settings())
        made.addLayout(left(self.back, self.from_here))
        made.addWidget(line("kept as", self.kept, self.use, self.keep))
        made.addLayout(left(self.dither, self.test_ra, self.test_dec))
        whole(made, self)

    def _settings(self) -> QWidget:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        for column_number, (axis, words) in enumerate(
            (("ra", "right asc."), ("dec", "declination")), start=1
        ):
            grid.addWidget(label(words, "soft"), 0, column_number)
            for row_number, (key, name) in enumerate(_FIELDS, start=1):
                if key not in self.names:
                    self.names[key] = label(name, "soft")
                    grid.addWidget(self.names[key], row_number, 0)
                apply = self._setter(axis, key)
                field = value_field(f"{name}, {words}", apply, self._doing.say)
                self.fields[axis, key] = field
                grid.addWidget(field, row_number, column_number)
        grid.setColumnStretch(3, 1)
        return whole(grid)

    def _set_exposure(self, text: str) -> None:
        self._doing.edit(
            {("guider", "exposure_s"): number(text.removesuffix("s"), "exposure", 0.01, 60)}, "exposure"
        )

    def _setter(self, axis: str, key: str) -> Callable[[str], None]:
        def apply(text: str) -> None:
            self._doing.edit({("guider", axis, key): _READ[key](text)}, dict(_FIELDS)[key].split(",")[0])

        return apply

    def _keep(self) -> None:
        name = self.kept.currentText().strip()
        if self._guider is None or not name:
            self._doing.say("give the settings a name first")
            return
        self._doing.edit({("guider", "sets"): self._guider.kept_as(name)}, f"settings kept as {name}")

    def _use(self) -> None:
        sets = self._guider.sets if self._guider is not None else []
        found = next((kept for kept in sets if kept.name == self.kept.currentText().strip()), None)
        if found is None:
            self._doing.say("no settings are kept under that name")
            return
        values = {("guider", key): getattr(found, key) for key in ("exposure_s", "ra", "dec")}
        self._doing.edit(values, f"settings {found.name}")

    def _set_law(self, axis: str) -> None:
        self._doing.edit({("guider", axis, "law"): self.laws[axis].currentText()}, "method")

    def show_all(
        self,
        rig: Rig,
        hindered: bool,
        busy: ErrandState | None,
        facts: list[tuple[str, str]],
        said: str,
        changed: bool,
    ) -> None:
        """`changed`: whether there is a change to take back."""
        for doing in (self.guide, self.watch, self.calibrate, self.calibrate_there):
            doing.setEnabled(not hindered)
        self.stop.setEnabled(busy is not None)
        self.back.setEnabled(changed)
        for made in (self.dither, self.test_ra, self.test_dec):
            made.setEnabled(busy is not None and busy.kind == GUIDING)
        self.from_here.setEnabled(bool(facts))
        self.figures.show_facts(facts)
        self.said.setText(said)
        for made in (self._goes, self.figures, self.said):
            made.setVisible(bool(facts))
        guider = self._guider = rig.guider
        if guider is None:
            return
        self._show_sets([kept.name for kept in guider.sets])
        self.exposure.show_value(f"{guider.exposure_s:g}")
        for axis, part in (("ra", guider.ra), ("dec", guider.dec)):
            self.laws[axis].setCurrentText(part.law)
            for key, _ in _FIELDS:
                value = getattr(part, key)
                self.fields[axis, key].show_value("" if value is None else f"{value:g}")
            for key, _ in _WORM:
                self.fields[axis, key].setVisible(part.law == "predictive")
        for key, _ in _WORM:
            self.names[key].setVisible("predictive" in (guider.ra.law, guider.dec.law))

    def _show_sets(self, names: list[str]) -> None:
        if [self.kept.itemText(k) for k in range(self.kept.count())] != names:
            typed = self.kept.currentText()
            self.kept.clear()
            self.kept.addItems(names)
            self.kept.setEditText(typed)
