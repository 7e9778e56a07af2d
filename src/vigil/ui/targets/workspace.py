"""Targets: search, the chart with the sensor on it, the night's altitude, into the plan."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout

from vigil.files.deepsky import DeepSkyObject, all_objects, search
from vigil.optics.train import field_deg
from vigil.planning.tonight import Tonight, tonight
from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.caret import TextLine
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import Facts, button, label, wrapped
from vigil.ui.session import Session
from vigil.ui.targets.altitude import TargetAltitude
from vigil.ui.targets.chart import Chart
from vigil.ui.targets.field import Field, load_field
from vigil.ui.targets.found import Found
from vigil.ui.workspace import Workspace, page, scrolled, side

_WITHOUT_CAMERA_DEG = (1.0, 1.0)


class Targets(Workspace):
    """First version: by name."""

    def __init__(self, session: Session, jobs: Jobs, go_to: Callable[[str], None]) -> None:
        super().__init__("Targets")
        self._session, self._jobs, self._go_to = session, jobs, go_to
        self.target: DeepSkyObject | None = None
        self._tonight: Tonight | None = None
        self._told_for: tuple[object, ...] = ()
        self._begun = False
        self.search = TextLine()
        self.search.setPlaceholderText("name or alias")
        self.search.setAccessibleName("Search targets by name or alias")
        self.search.setToolTip("Search  Ctrl+F")
        self.search.setClearButtonEnabled(False)
        self.found = Found()
        self.count = label("", "small")
        self._scroller: QScrollArea = scrolled(self.found)
        left = side(self.search, self._scroller, self.count, stretch=False)
        left_layout = left.layout()
        assert isinstance(left_layout, QVBoxLayout)
        left_layout.setContentsMargins(16, 12, 8, 8)
        left_layout.setStretch(1, 1)
        self.chart = Chart()
        self.altitude = TargetAltitude(session)
        main = page(self.chart, self.altitude, gap=12)
        main_layout = main.layout()
        assert isinstance(main_layout, QVBoxLayout)
        main_layout.setStretch(0, 1)
        self.title, self.about = label("", "head"), wrapped()
        self.aliases = wrapped("", "small")
        self.where, self.tonight_facts, self.frame_facts = Facts(), Facts(), Facts()
        self.put = button("Put in tonight's plan", "primary", "A block at the plan's end", "Ctrl+Shift+P")
        self.put_words = wrapped("", "small")
        inspector = side(
            self.title,
            self.about,
            self.aliases,
            label("Position", "section"),
            self.where,
            label("Tonight", "section"),
            self.tonight_facts,
            label("Frame", "section"),
            self.frame_facts,
            self.put,
            self.put_words,
        )
        self.build(main, inspector, left)
        self.search.textChanged.connect(self._typed)
        self.search.returnPressed.connect(lambda: self.found.choose(max(0, self.found.current)))
        self.search.installEventFilter(self)
        self.found.chosen.connect(self.show_target)
        self.chart.field_wanted.connect(self._look_up)
        self.put.clicked.connect(self.put_in_plan)
        session.plan.changed.connect(self._show_put)
        session.rig_changed.connect(self._rig_changed)
        session.night_changed.connect(self._turn_sensor)
        session.sky_changed.connect(self._retell)
        session.moments.changed.connect(self._moment_changed)
        session.moments.now_changed.connect(self._moment_changed)
        self._show_put()

    def actions_here(self) -> list[Action]:
        return [
            Action("Search targets", self.begin_search, "Ctrl+F"),
            Action("Put in tonight's plan", self.put_in_plan, "Ctrl+Shift+P", self._hindrance),
        ]

    def begin_search(self) -> None:
        """From wherever one is."""
        self._go_to(self.name)
        self.search.setFocus()
        self.search.selectAll()

    def entered(self) -> None:
        """The catalogue is read when it is first wanted."""
        if self._begun:
            return
        self._begun = True
        self.found.show_entries([], "reading the catalogue…")
        self._jobs.run("catalogue", all_objects, lambda _: self._catalogue_read(), self._failed)

    def _catalogue_read(self) -> None:
        self._typed(self.search.text())
        blocks = self._session.plan.plan.blocks
        if self.target is None and blocks:
            found = search(blocks[0].target.name, 1)
            if found:
                self.show_target(found[0])

    def _failed(self, problem: Exception) -> None:
        self.found.show_entries([], "the catalogue can't be read")
        self.count.setText(str(problem))

    def _typed(self, text: str) -> None:
        if not text.strip():
            names = {block.target.name for block in self._session.plan.plan.blocks}
            in_plan = [entry for entry in all_objects() if entry.name in names]
            self.found.show_entries(in_plan, "type a name: M 33, California, IC 405 …")
            self.count.setText(f"in tonight's plan · {words.grouped(len(all_objects()))} objects to search")
            return
        entries = search(text)
        self.found.show_entries(entries, "nothing of this name")
        scroll_bar = self._scroller.verticalScrollBar()
        if scroll_bar is not None:
            scroll_bar.setValue(0)
        more = "the first 60 found" if len(entries) == 60 else f"{len(entries)} found"
        self.count.setText(more if entries else "other spellings, or an alias, may be known")

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                self.found.step(step)
                row = self.found.row_rect(self.found.current)
                self._scroller.ensureVisible(0, int(row.center().y()), 0, 40)
                return True
        return False

    # -- the target -------------------------------------------------------------------------------------

    def show_target(self, entry: DeepSkyObject) -> None:
        self.target = entry
        self.chart.show_target(entry, self._field_deg(), self._angle())
        self._retell()
        self._show_put()

    def _moment_changed(self) -> None:
        if self.isVisible():
            self._retell()

    def _field_deg(self) -> tuple[float, float]:
        rig = self._session.rig
        if not rig.frames_sky:
            return _WITHOUT_CAMERA_DEG
        rows, columns = rig.field_px()
        return field_deg(rig.scale_arcsec_px(), columns, rows)

    def _rig_changed(self) -> None:
        """Another camera frames another piece of sky."""
        if self.target is not None:
            self.chart.show_target(self.target, self._field_deg(), self._angle())
            self._retell()

    def _angle(self) -> float:
        """How the camera stood in the last solved frame; 0 until one is."""
        for light in reversed(self._session.record.measured()):
            angle = light.values.get("position_angle_deg")
            if angle is not None:
                return float(angle)
        return 0.0

    def _turn_sensor(self) -> None:
        angle = self._angle()
        if self.target is not None and abs(angle - self.chart.angle_deg) > 0.05:
            self.chart.angle_deg = angle
            self.chart.update()
            self._retell()

    def _retell(self) -> None:
        entry, session = self.target, self._session
        if entry is None:
            return
        rig, zone = session.rig, session.zone
        key = (entry.name, session.sky.noon)
        if self._tonight is None or self._told_for != key:
            self._tonight, self._told_for = tonight(entry.ra_deg, entry.dec_deg, rig, session.now), key
        told = self._tonight
        self.altitude.show_target(entry.ra_deg, entry.dec_deg, told)
        size = words.arc(entry.major_arcmin) if entry.major_arcmin else "size unknown"
        if entry.minor_arcmin and entry.minor_arcmin != entry.major_arcmin:
            size += f" {words.TIMES} {words.arc(entry.minor_arcmin)}"
        self.title.setText(entry.name)
        self.about.setText(
            ", ".join(x for x in (entry.common_name, f"{entry.kind}, {size}", entry.constellation) if x)
        )
        self.aliases.setText("also " + ", ".join(entry.aliases[:4]) if entry.aliases else "")
        self.aliases.setVisible(bool(entry.aliases))
        self.where.show_facts(
            [("right ascension", words.ra(entry.ra_deg)), ("declination", words.dec(entry.dec_deg))]
        )
        spans = [f"{words.clock(i.opens, zone)}–{words.clock(i.closes, zone)}" for i in told.intervals]
        facts = [
            ("dark and high enough", ", ".join(spans) or "never tonight"),
            ("usable", words.duration(3600 * told.usable_h) if told.intervals else words.NOTHING),
        ]
        if told.transit is not None:
            facts.append(
                ("meridian", f"{words.clock(told.transit, zone)}, {words.degrees(told.transit_altitude_deg)}")
            )
        facts.append(
            ("moon", f"{100 * told.moon_illumination:.0f} %, {words.degrees(told.moon_apart_deg)} away")
        )
        shown = session.moments.shown
        altitude = session.sky.at(session.altitudes_deg(entry.ra_deg, entry.dec_deg), shown)
        facts.append((f"altitude at {words.clock(shown, zone)}", words.degrees(altitude)))
        self.tonight_facts.show_facts(facts)
        if not rig.frames_sky:
            self.frame_facts.show_facts([("no frame", "no telescope or camera")])
            return
        wide, high = self._field_deg()
        self.frame_facts.show_facts(
            [
                ("field", f"{wide:.2f}° {words.TIMES} {high:.2f}°"),
                ("scale", f"{rig.scale_arcsec_px():.2f}″/px"),
                ("angle", f"{self.chart.angle_deg:.1f}°"),
            ]
        )

    def _look_up(self, ra_deg: float, dec_deg: float, radius_deg: float) -> None:
        self._jobs.run(
            "chart", lambda: load_field(ra_deg, dec_deg, radius_deg), self._field_found, self._no_field
        )

    def _field_found(self, field: Field) -> None:
        self.chart.show_field(field)

    def _no_field(self, problem: Exception) -> None:
        self.count.setText(f"the stars can't be read: {problem}")

    # -- into the plan ------------------------------------------------------------------------------------

    def _hindrance(self) -> str:
        if self.target is None:
            return "choose a target first"
        return self._session.plan.locked

    def _show_put(self) -> None:
        why_not = self._hindrance()
        self.put.setEnabled(not why_not)
        already = self.target is not None and any(
            block.target.name == self.target.name for block in self._session.plan.plan.blocks
        )
        if why_not:
            self.put_words.setText(why_not)
        else:
            self.put_words.setText("It is in the plan already; this adds another block." if already else "")
        self.put_words.setVisible(bool(self.put_words.text()))

    def put_in_plan(self) -> None:
        if self.target is None or self._hindrance():
            return
        self._session.plan.add_target(self.target.name, self.target.ra_deg, self.target.dec_deg)
        self._go_to("Night")
