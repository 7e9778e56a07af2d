"""The inspector's pages: the frame, its panels, the chart."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QHBoxLayout, QWidget

from vigil.documents.plan import ExposureLine
from vigil.documents.shelf import USUAL_OVERLAP_PERCENT
from vigil.planning.framing import COPIED, FEW_STARS, Cost, cost_of, numbers_of, stars_in_strips
from vigil.planning.offer import scale_of
from vigil.planning.shelfcsv import example_lines, parse_lines
from vigil.sky.angles import parse_dec_deg, parse_ra_deg
from vigil.sky.stars import SkyStars
from vigil.sky.turns import turn_to_deg
from vigil.ui import words
from vigil.ui.caret import TextLine
from vigil.ui.fields import ValueField, number, whole_number
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import Choice, Facts, OneLine, Told, button, column, label, row
from vigil.ui.session import Session
from vigil.ui.targets.chart import ORIENTATIONS, Chart
from vigil.ui.targets.framemodel import FrameModel
from vigil.ui.targets.layers import LAYER_WORDS
from vigil.ui.targets.tablerow import TableRow

_FIELD_PX = 150


class Page(QWidget):
    """A column with its own line of words for what was refused."""

    def __init__(self) -> None:
        super().__init__()
        self.told = Told("", "warn")
        self.told.hide()
        self._column = column(gap=6)
        self._column.setContentsMargins(0, 0, 8, 8)
        self.setLayout(self._column)

    def add(self, *parts: QWidget | QHBoxLayout | QGridLayout) -> None:
        for part in parts:
            if isinstance(part, QWidget):
                self._column.addWidget(part)
            else:
                self._column.addLayout(part)

    def finish(self) -> None:
        self._column.addWidget(self.told)
        self._column.addStretch(1)

    def say(self, text: str) -> None:
        self.told.setText(text)
        self.told.setVisible(bool(text))

    def try_(self, do: Callable[[], object]) -> None:
        """Do it, or say why not."""
        try:
            do()
            self.say("")
        except ValueError as problem:
            self.say(str(problem))

    def line(self, name: str, widget: QWidget, width: int = _FIELD_PX) -> QHBoxLayout:
        widget.setFixedWidth(width)
        words_ = label(name, "soft")
        made = row(words_)
        made.addStretch(1)
        made.addWidget(widget)
        return made


class FramePage(Page):
    """Where the sensor lies."""

    match_wanted = pyqtSignal()

    def __init__(self, session: Session, frame: FrameModel, camera_angle: Callable[[], float | None]) -> None:
        super().__init__()
        self._session, self._frame, self._camera_angle = session, frame, camera_angle
        self.ra = ValueField("Right ascension of the centre", self._set_ra, self.say)
        self.dec = ValueField("Declination of the centre", self._set_dec, self.say)
        self.angle = ValueField("Position angle of the rows, degrees", self._set_angle, self.say)
        self.focal = ValueField("Try another focal length, mm; empty is the rig's", self._set_focal, self.say)
        self.unlock = QCheckBox("I'll turn it by hand")
        self.unlock.setToolTip(
            "Turn the outline though nothing turns this camera: it will be asked for by hand"
        )
        self.unlock.toggled.connect(self._unlock)
        self.quarter = button("Quarter turn", "small", "A quarter turn of the sensor", "Ctrl+T")
        self.to_axis = button("Along its axis", "small", "The sensor's longer side along the object's")
        self.to_centre = button("Centre the object", "small", "The object's own centre into the middle")
        self.to_camera = button("Use the camera's angle", "small", "The angle of the last solved frame")
        self.quarter.clicked.connect(lambda: self.try_(frame.quarter_turn))
        self.to_axis.clicked.connect(lambda: self.try_(frame.snap_to_axis))
        self.to_centre.clicked.connect(lambda: self.try_(frame.snap_to_centre))
        self.to_camera.clicked.connect(lambda: self.try_(frame.snap_to_camera))
        self.facts = Facts()
        self.corners = Facts()
        self.match = button("Match a picture …", "small", "Take over centre and rotation of a picture")
        self.match.clicked.connect(self.match_wanted)
        self.taken = Choice()
        self.taken.setAccessibleName("Match a light of the ledger")
        self.taken.setToolTip("This target's own lights, the last of each evening and filter")
        self.match_facts = Facts()
        self.match_words = Told("", "small")
        self.also = button(
            "Take over its settings", "small", "Exposure, gain, offset, binning and set-point too"
        )
        self.also.hide()
        buttons = QGridLayout()
        buttons.setSpacing(6)
        for n, made in enumerate((self.quarter, self.to_camera, self.to_centre, self.to_axis)):
            buttons.addWidget(made, n // 2, n % 2)
        self.add(
            label("Centre (ICRS)", "section"),
            self.line("right ascension", self.ra),
            self.line("declination", self.dec),
            label("Angle", "section"),
            self.line("position angle", self.angle),
            self.unlock,
            buttons,
            self.facts,
            label("Earlier frame", "section"),
            self.taken,
            self.match,
            self.match_facts,
            self.match_words,
            self.also,
            label("Other optics", "section"),
            self.line("focal length, mm", self.focal),
            label("Corners", "section"),
            self.corners,
        )
        self.finish()
        frame.changed.connect(self.refresh)

    def refresh(self) -> None:
        state, sensor, rig = self._frame.frame, self._frame.sensor, self._session.rig
        if state is None or sensor is None:
            return
        g = state.framing
        self.ra.show_value(words.ra(g.ra_deg))
        self.dec.show_value(words.dec(g.dec_deg))
        self.angle.show_value(f"{g.position_angle_deg:.1f}")
        self.focal.show_value("" if state.focal_length_mm is None else f"{state.focal_length_mm:g}")
        self.focal.setPlaceholderText(f"{rig.focal_length_mm:g}" if rig.focal_length_mm else "none")
        turned_by_hand = not self._frame.turns_by_itself
        self.unlock.setVisible(turned_by_hand and self._camera_angle() is not None)
        self.unlock.blockSignals(True)
        self.unlock.setChecked(state.unlocked)
        self.unlock.blockSignals(False)
        locked = self._frame.angle_locked
        for part in (self.angle, self.quarter, self.to_axis):
            part.setEnabled(not locked)
            part.setToolTip(locked or part.accessibleName() or part.toolTip())
        self.facts.show_facts(self._facts())
        self.corners.show_facts(
            [
                (f"{n + 1}", f"{words.ra(ra)}  {words.dec(dec)}")
                for n, (ra, dec) in enumerate(sensor.corners())
            ]
        )

    def _facts(self) -> list[tuple[str, str]]:
        state, rig = self._frame.frame, self._session.rig
        assert state is not None
        wide, high = self._frame.field_deg
        facts = [("field", f"{wide:.2f}° {words.TIMES} {high:.2f}°")]
        if rig.frames_sky and rig.focal_length_mm:
            facts.append(("scale", f"{scale_of(rig, state.focal_length_mm):.2f}″/px"))
        angle = self._camera_angle()
        if angle is None:
            facts.append(("camera is at", "not solved yet"))
        else:
            turn = turn_to_deg(angle, state.framing.position_angle_deg)
            facts.append(("camera is at", f"{angle % 360:.1f}°, turn {words.signed(turn)}°"))
        return facts

    def _set_ra(self, text: str) -> None:
        state = self._frame.frame
        if state is not None:
            self._frame.move_to(parse_ra_deg(text), state.framing.dec_deg)

    def _set_dec(self, text: str) -> None:
        state = self._frame.frame
        if state is not None:
            self._frame.move_to(state.framing.ra_deg, parse_dec_deg(text))

    def _set_angle(self, text: str) -> None:
        try:
            value = float(text.rstrip("°").replace(",", ".").replace(words.MINUS, "-"))
        except ValueError:
            raise ValueError(f"angle: {text!r} is no number of degrees") from None
        self._frame.rotate_to(value)

    def _set_focal(self, text: str) -> None:
        self._frame.try_optics(number(text.removesuffix("mm"), "focal length", 0, 20_000) if text else None)

    def _unlock(self, on: bool) -> None:
        self.try_(lambda: self._frame.unlock(on))


class PanelsPage(Page):
    """A mosaic's panels, its lines, what it costs."""

    def __init__(self, session: Session, frame: FrameModel) -> None:
        super().__init__()
        self._session, self._frame = session, frame
        self.night_h = 0.0
        self.stars: SkyStars | None = None
        self.columns = ValueField("Panels across", self._set_columns, self.say)
        self.rows = ValueField("Panels up", self._set_rows, self.say)
        self.overlap = ValueField("Least overlap of neighbours, per cent", self._set_overlap, self.say)
        self.usual = button("20 %", "plain", "Back to the usual overlap")
        self.usual.clicked.connect(lambda: self.try_(frame.usual_overlap))
        self.follow = QCheckBox("panels follow the sphere")
        self.follow.setToolTip(
            "Each panel at an angle of its own, parallel to its neighbours: takes a rotator, or your hand"
        )
        self.follow.toggled.connect(lambda on: self.try_(lambda: frame.follow_sphere(on)))
        self.cover = button("Cover the object", "small", "As many panels as cover it at this angle")
        self.cover.clicked.connect(lambda: self.try_(frame.cover))
        self.size = Facts()
        self.advice = Told("", "small")
        self.lines = ValueField(
            "Exposures of a panel, as Ha 300 s × 12; L 120 s × 30", self._set_lines, self.say
        )
        self.lines.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.lines.setPlaceholderText(example_lines(session.rig))
        self.which = Choice()
        self.which.setAccessibleName("Panel")
        self.which.activated.connect(lambda _: self._show_panel())
        self.name = ValueField("The panel's name", self._set_name, self.say)
        self.left_out = QCheckBox("left out")
        self.left_out.toggled.connect(self._set_left_out)
        self.earlier = button("Earlier", "small", "Take this panel earlier")
        self.later = button("Later", "small", "Take this panel later")
        self.earlier.clicked.connect(lambda: self._move(-1))
        self.later.clicked.connect(lambda: self._move(1))
        self.own = ValueField("Exposures of this panel alone; empty is the target's", self._set_own, self.say)
        self.own.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.what = Choice()
        self.what.setAccessibleName("What of the target's exposures is copied")
        self.what.addItems(COPIED)
        self.to = TextLine()
        self.to.setPlaceholderText("all panels, or 2, 4-6")
        self.to.setAccessibleName("Panels to copy to: all, or numbers as 2, 4-6")
        self.copy = button("Copy", "small", "The target's exposures to these panels")
        self.copy.clicked.connect(lambda: self.try_(self._copy))
        self.to.returnPressed.connect(lambda: self.try_(self._copy))
        self.costs = Facts()
        self._panel_part = QWidget()
        inner = column(gap=6)
        inner.addLayout(self.line("panel", self.which))
        inner.addLayout(self.line("name", self.name))
        inner.addLayout(row(self.left_out, self.earlier, self.later, gap=6))
        inner.addWidget(self.own)
        inner.addWidget(label("Copy the target's exposures", "section"))
        inner.addWidget(self.what)
        inner.addLayout(row(self.to, self.copy, gap=6))
        self._panel_part.setLayout(inner)
        overlap = self.line("least overlap, %", self.overlap, 64)
        overlap.insertWidget(2, self.usual)
        self.add(
            label("Panels", "section"),
            self.line("across", self.columns, 64),
            self.line("up", self.rows, 64),
            overlap,
            self.follow,
            self.cover,
            self.size,
            self.advice,
            label("Exposures of a panel", "section"),
            self.lines,
            self.costs,
            self._panel_part,
        )
        self.finish()
        frame.changed.connect(self.refresh)

    @property
    def number(self) -> int:
        return int(self.which.currentData() or 1)

    def show_stars(self, stars: SkyStars) -> None:
        """Those of the mosaic's area: for what is said of the overlaps."""
        self.stars = stars
        self.refresh()

    def refresh(self) -> None:
        state, made = self._frame.frame, self._frame.mosaic
        if state is None or made is None:
            return
        g = state.framing
        self.columns.show_value(str(g.columns))
        self.rows.show_value(str(g.rows))
        self.overlap.show_value(f"{g.overlap_percent:g}")
        self.follow.setChecked(g.follow_sphere)
        self.follow.setVisible(g.count > 1)
        # what differs from a default is marked, with one click back
        self.usual.setVisible(g.overlap_percent != USUAL_OVERLAP_PERCENT)
        self.usual.setText(f"differs: back to {USUAL_OVERLAP_PERCENT:g} %")
        self.lines.show_value(_lines_text(state.lines))
        wide, high = made.size_deg()
        framed = self._frame.framed()
        cost = cost_of(framed, made, self._session.rig, self.night_h)
        self.size.show_facts(
            [
                ("size", f"{wide:.2f}° {words.TIMES} {high:.2f}°"),
                ("pixels", f"{words.grouped(cost.pixels[0])} {words.TIMES} {words.grouped(cost.pixels[1])}"),
            ]
        )
        self.advice.setText(self._strips())
        self.advice.setVisible(bool(self.advice.text()))
        self.costs.show_facts(
            self._costs(cost) if cost.panel_h else [("none yet", "the plan's last are used")]
        )
        self._panel_part.setVisible(g.count > 1)
        self._refill(framed.in_order, g.count)

    def _costs(self, cost: Cost) -> list[tuple[str, str]]:
        nights = words.NOTHING if cost.nights is None else str(cost.nights)
        return [
            ("a panel, with overheads", words.hours(3600 * cost.panel_h)),
            (
                "panels tonight",
                str(min(cost.panels_tonight, cost.panels)) if self.night_h else "never up tonight",
            ),
            ("nights like this", nights),
            ("disk", f"{cost.bytes / 1e9:.1f} GB"),
        ]

    def _strips(self) -> str:
        """Catalogue stars in the overlaps: what joins the panels."""
        made = self._frame.mosaic
        if made is None or len(made.panels) == 1:
            return ""
        if self.stars is None:
            return "counting the stars in the overlaps…"
        least, most = stars_in_strips(made, self.stars) or (0, 0)
        said = f"stars in an overlap: {least} to {most}"
        if least < FEW_STARS:
            said += f"; under {FEW_STARS} panels are hard to join: a larger overlap helps"
        return said

    def _refill(self, order: list[int], count: int) -> None:
        kept = self.number
        self.which.blockSignals(True)
        self.which.clear()
        for number_ in [*order, *(n for n in range(1, count + 1) if n not in order)]:
            place = f"{order.index(number_) + 1}." if number_ in order else "left out:"
            self.which.addItem(f"{place} panel {number_}", number_)
        self.which.setCurrentIndex(max(0, self.which.findData(kept)))
        self.which.blockSignals(False)
        self._show_panel()

    def _show_panel(self) -> None:
        state = self._frame.frame
        if state is None:
            return
        wish = self._frame.framed().panel(self.number)
        self.name.show_value(wish.name)
        self.name.setPlaceholderText(f"panel {self.number}")
        self.left_out.blockSignals(True)
        self.left_out.setChecked(wish.left_out)
        self.left_out.blockSignals(False)
        self.own.show_value("" if wish.lines is None else _lines_text(tuple(wish.lines)))
        self.own.setPlaceholderText("the target's lines")

    def _set_columns(self, text: str) -> None:
        self._frame.set_grid(columns=whole_number(text, "across", 1, 10))

    def _set_rows(self, text: str) -> None:
        self._frame.set_grid(rows=whole_number(text, "up", 1, 10))

    def _set_overlap(self, text: str) -> None:
        self._frame.set_overlap(number(text.rstrip("% "), "overlap", -1e-9, 90))

    def _set_lines(self, text: str) -> None:
        self._frame.set_lines(self._known(text))

    def _set_own(self, text: str) -> None:
        lines = [line.model_dump() for line in self._known(text)] if text.strip() else None
        self._frame.wish(self.number, lines=lines)

    def _known(self, text: str) -> list[ExposureLine]:
        lines = parse_lines(text, self._session.rig)
        names = self._session.rig.filter_names
        wrong = sorted({line.filter for line in lines if line.filter and line.filter not in names})
        if wrong:
            raise ValueError(
                f"{self._session.rig.name} has no filter {wrong[0]!r}: {', '.join(names) or 'none'}"
            )
        return lines

    def _set_name(self, text: str) -> None:
        self._frame.wish(self.number, name=text)

    def _set_left_out(self, on: bool) -> None:
        self.try_(lambda: self._frame.wish(self.number, left_out=on))

    def _move(self, by: int) -> None:
        self.try_(lambda: self._frame.move_panel(self.number, by))

    def _copy(self) -> None:
        state = self._frame.frame
        if state is not None:
            self._frame.copy_lines(numbers_of(self.to.text(), state.framing.count), self.what.currentText())


def _lines_text(lines: tuple[ExposureLine, ...]) -> str:
    return "; ".join(f"{line.words} {words.TIMES} {line.count}" for line in lines)


class ChartPage(Page):
    """What the chart shows."""

    picture_wanted = pyqtSignal()

    def __init__(self, chart: Chart, jobs: Jobs) -> None:
        super().__init__()
        self.orientation = Choice()
        self.orientation.setAccessibleName("Orientation")
        self.orientation.addItems(ORIENTATIONS)
        self.orientation.activated.connect(lambda n: chart.set_orientation(ORIENTATIONS[n]))
        self.switches: dict[str, QCheckBox] = {}
        grid = QGridLayout()
        grid.setSpacing(6)
        for n, (name, said) in enumerate(LAYER_WORDS.items()):
            made = QCheckBox(said)
            made.setChecked(getattr(chart.layers, name))
            made.toggled.connect(lambda on, name=name: chart.set_layer(name, on))
            self.switches[name] = made
            grid.addWidget(made, n // 2, n % 2)
        self.add_picture = button("Add a picture …", "small", "Any picture that solves lies on the chart")
        self.add_picture.clicked.connect(self.picture_wanted)
        self.remove = button("Remove", "small", "Take the chosen picture off the chart; its file stays")
        self.pictures = Choice()
        self.pictures.setAccessibleName("Pictures on the chart")
        self.busy = OneLine("soft", size=12)
        self.table = TableRow(jobs)
        keys = (
            ("wheel, + −", "zoom"),
            ("drag, arrows", "move the sky"),
            ("Shift + arrows", "move the frame"),
            ("Ctrl + ← →", "turn the frame"),
            ("double click", "frame this place"),
            ("0", "back to the frame"),
            ("Shift + F11", "second window"),
        )
        self.keys = Facts()
        self.keys.show_facts(list(keys))
        self.add(
            self.table,
            label("Up is", "section"),
            self.orientation,
            label("Show", "section"),
            grid,
            label("My pictures", "section"),
            row(self.pictures, self.remove, gap=6),
            self.add_picture,
            self.busy,
            label("Keys", "section"),
            self.keys,
        )
        self.finish()
