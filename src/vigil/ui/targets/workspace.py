"""Targets: what tonight offers, the chart with the frame on it, into the plan, onto the shelf, or there at
once."""

from collections.abc import Callable

from PyQt6.QtCore import QTimer, pyqtSignal
from PyQt6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from vigil.documents.shelf import Framed
from vigil.files.deepsky import DeepSkyObject, all_objects, entry_named
from vigil.ledger.counts import frames_taken
from vigil.optics.footprint import Footprint
from vigil.planning.framing import blocks_of, disagreement
from vigil.runtime.folders import ledger_file, shelf_file
from vigil.sky.stars import SkyStars
from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import button, label, row, wrapped
from vigil.ui.session import Session
from vigil.ui.targets.about import AboutPage, headline
from vigil.ui.targets.altitude import TargetAltitude
from vigil.ui.targets.chart import Chart
from vigil.ui.targets.field import Field, load_field
from vigil.ui.targets.framemodel import FrameModel
from vigil.ui.targets.going import GoThere
from vigil.ui.targets.layers import Sight
from vigil.ui.targets.left import TargetList
from vigil.ui.targets.ownpictures import OwnPictures
from vigil.ui.targets.pages import ChartPage, FramePage, PanelsPage
from vigil.ui.targets.shelfmodel import ShelfModel
from vigil.ui.turning import TurningDial
from vigil.ui.workspace import Edited, Workspace, page, scrolled, side

_PAGES = ("Target", "Frame", "Panels", "Chart")
_REFRESH_MS = 150


class Targets(Workspace):
    """The list left, the chart in the middle, pages about the target right."""

    project_wanted = pyqtSignal(object)
    """Of the target as it is framed."""

    def __init__(self, session: Session, jobs: Jobs, go_to: Callable[[str], None]) -> None:
        super().__init__("Targets")
        self._session, self._jobs, self._go_to = session, jobs, go_to
        self._begun = False
        self._hand_angle: float | None = None
        self.frame = FrameModel(lambda: session.rig, self.camera_angle)
        self.shelf = ShelfModel(shelf_file())
        self.left = TargetList(session, jobs, self.shelf, self._shown_name)
        self.chart, self.dial = Chart(self.frame), TurningDial()
        self.altitude = TargetAltitude(session)
        self.about_page = AboutPage(session, jobs)
        self.frame_page = FramePage(session, self.frame, self.camera_angle)
        self.panels_page = PanelsPage(session, self.frame)
        self.chart_page = ChartPage(self.chart, jobs)
        pages = self.frame_page, self.chart_page
        self.pictures = OwnPictures(session, jobs, self.frame, self.chart, pages, self.camera_angle)
        self.going = GoThere(session, self.frame, self.dial)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.timeout.connect(self._frame_settled)
        self.build(self._made_middle(), self._made_inspector(), self.left)
        self.first = self.chart
        self._connect()
        self._show_put()

    def _made_middle(self) -> QWidget:
        self.middle = QStackedWidget()
        self.middle.addWidget(self.chart)
        self.middle.addWidget(self.dial)
        main = page(self.middle, self.altitude, gap=12)
        layout = main.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretch(0, 1)
        return main

    def _made_inspector(self) -> QWidget:
        self.title, self.about = label("", "head"), wrapped()
        self.title.setWordWrap(True)
        self.doubt = wrapped("", "warn")
        self.doubt.hide()
        self.pages = QStackedWidget()
        for made in (self.about_page, self.frame_page, self.panels_page, self.chart_page):
            self.pages.addWidget(scrolled(made))
        self.tabs = [button(name, "plain") for name in _PAGES]
        for n, tab in enumerate(self.tabs):
            tab.setCheckable(True)
            tab.clicked.connect(lambda _=False, n=n: self.show_page(n))
        self.tabs[0].setChecked(True)
        self.put = button(
            "Put in tonight's plan", "primary", "A block a panel, at the plan's end", "Ctrl+Shift+P"
        )
        self.put_words = wrapped("", "small")
        self.keep = button(
            "Keep on the shelf", "small", "With framing, panels and lines, for any night", "Ctrl+Shift+K"
        )
        tabs = QWidget()
        tabs.setLayout(row(*self.tabs, gap=2))
        parts = (self.title, self.about, self.doubt, tabs, self.pages, self.put, self.put_words, self.keep)
        inspector = side(*parts, self.going, stretch=False)
        layout = inspector.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretchFactor(self.pages, 1)
        return inspector

    def _connect(self) -> None:
        session, left, chart, going = self._session, self.left, self.chart, self.going
        left.object_chosen.connect(self.show_target)
        left.framed_chosen.connect(self.show_framed)
        left.place_chosen.connect(self._place_typed)
        left.ranked.connect(self._retell)
        chart.field_wanted.connect(self._look_up)
        chart.point_chosen.connect(self.show_place)
        chart.refused.connect(self.frame_page.say)
        going.dial_wanted.connect(self._show_dial)
        going.angle_found.connect(self._angle_found)
        self.frame.changed.connect(self._frame_changed)
        self.put.clicked.connect(self.put_in_plan)
        self.keep.clicked.connect(self.keep_on_shelf)
        session.plan.changed.connect(self._show_put)
        session.rig_changed.connect(self._rig_changed)
        session.night_changed.connect(self.frame.follow_camera)
        session.sky_changed.connect(self._sky_changed)
        session.moments.changed.connect(self._moment_changed)
        session.moments.now_changed.connect(self._moment_changed)
        session.devices_changed.connect(self._show_telescope)

    def edited(self) -> Edited:
        return self.frame

    def actions_here(self) -> list[Action]:
        def no_target() -> str:
            return "" if self.frame.frame is not None else "choose a target first"

        pages = [Action(f"Targets: {name}", lambda n=n: self._go_to_page(n)) for n, name in enumerate(_PAGES)]
        return [
            Action("Put in tonight's plan", self.put_in_plan, "Ctrl+Shift+P", self._hindrance),
            Action("Keep on the shelf", self.keep_on_shelf, "Ctrl+Shift+K", no_target),
            Action("Make it a project", lambda: self.project_wanted.emit(self.frame.framed()), "", no_target),
            Action(
                "Quarter turn of the frame",
                lambda: self.frame_page.try_(self.frame.quarter_turn),
                "Ctrl+T",
                no_target,
            ),
            Action("Match an earlier frame", lambda: self.pictures.choose(match=True), "", no_target),
            Action("Go there", lambda: self.going.go("slew"), "", no_target),
            Action("Go there, centred", lambda: self.going.go("centre"), "", no_target),
            Action("Go there at this angle", lambda: self.going.go("frame"), "", no_target),
            Action("The shelf", lambda: self.left.show_list(1)),
            *pages,
        ]

    # -- coming here --------------------------------------------------------------------------------------

    def begin_search(self) -> None:
        self.left.search.setFocus()
        self.left.search.selectAll()

    def entered(self) -> None:
        """The catalogue is read when it is first wanted."""
        self._show_sight()
        if self._begun:
            self.left.rank()
            return
        self._begun = True
        self.left.found.show_rows([], "reading the catalogue…")
        self._jobs.run("catalogue", all_objects, lambda _: self._catalogue_read(), self.left.fail)
        self.pictures.begin()

    def _catalogue_read(self) -> None:
        self.left.begin()
        blocks = self._session.plan.plan.blocks
        if self.frame.frame is None and blocks:
            target = blocks[0].target
            entry = entry_named(target.name)
            if entry is not None:
                self.show_target(entry)
            else:
                self.show_place(target.ra_deg, target.dec_deg, target.name)
                self.chart.look_at_frame()

    def show_page(self, which: int) -> None:
        for n, tab in enumerate(self.tabs):
            tab.setChecked(n == which)
        self.pages.setCurrentIndex(which)

    def _go_to_page(self, which: int) -> None:
        """With the keyboard in its first field."""
        self._go_to(self.name)
        self.show_page(which)
        self.tabs[which].setFocus()
        self.focusNextChild()

    # -- the target ---------------------------------------------------------------------------------------

    def show_target(self, entry: DeepSkyObject) -> None:
        self.pictures.forget()
        self.frame.show_object(entry)
        self.chart.look_at_frame()

    def show_framed(self, framed: Framed) -> None:
        self.pictures.forget()
        self.frame.show_framed(framed, entry_named(framed.name))
        self.chart.look_at_frame()

    def show_place(self, ra_deg: float, dec_deg: float, name: str = "") -> None:
        """A bare point of the sky; the view stays where it is."""
        self.pictures.forget()
        self.frame.show_place(name or f"{words.ra(ra_deg)} {words.dec(dec_deg)}", ra_deg, dec_deg)

    def _place_typed(self, ra_deg: float, dec_deg: float) -> None:
        self.show_place(ra_deg, dec_deg)
        self.chart.look_at_frame()

    def _shown_name(self) -> str:
        return self.frame.frame.name if self.frame.frame is not None else ""

    def camera_angle(self) -> float | None:
        """How the camera stood in the last solved frame of tonight, or by hand."""
        record = self._session.record.state.angle
        return record.position_angle_deg if record is not None else self._hand_angle

    def _angle_found(self, angle_deg: float) -> None:
        self._hand_angle = angle_deg
        self.frame.follow_camera()
        self._show_telescope()

    @property
    def settling(self) -> bool:
        """Whether a change of the frame has yet to be followed by what takes its time."""
        return self._settle.isActive() or self.chart.pending

    def _frame_changed(self) -> None:
        """At once what is cheap, the rest when the hand rests."""
        self.frame_page.refresh()
        self._settle.start(_REFRESH_MS)

    def _frame_settled(self) -> None:
        self._retell()
        self._show_put()
        self.pictures.tell_distance()
        self.pictures.list_taken()
        self._count_strips()

    def _moment_changed(self) -> None:
        if self.isVisible():
            self._show_sight()
            self._retell()

    def _sky_changed(self) -> None:
        self.left.rank()
        self._retell()

    def _rig_changed(self) -> None:
        """Another camera frames another piece of sky."""
        self._frame_changed()
        self.chart.update()
        self.left.rank()

    def _show_sight(self) -> None:
        session = self._session
        shown = session.moments.shown.replace(second=0, microsecond=0)
        sight = Sight(session.rig.site.place(), shown, session.rig.site.sky_line())
        as_at = session.moments.as_at
        note = f"as at {words.clock(as_at, session.zone)}" if as_at is not None else ""
        self.chart.set_sight(sight, note)

    def _show_telescope(self) -> None:
        report = self._session.reports.get("mount")
        state = report.state if report is not None else {}
        angle = self.camera_angle() or 0.0
        telescope = None
        if "ra_deg" in state:
            place = float(state["ra_deg"]), float(state["dec_deg"])
            telescope = Footprint(*place, angle, *self.frame.field_deg)
        self.chart.show_telescope(telescope, angle)
        self.pictures.tell_distance()

    def _retell(self) -> None:
        frame = self.frame.frame
        if frame is None:
            return
        g, entry = frame.framing, frame.entry
        self.title.setText(frame.name)
        self.about.setText(headline(entry) if entry is not None else "a place of your own")
        doubt = disagreement(frame.name, g.ra_deg, g.dec_deg) if entry is None else None
        self.doubt.setText(doubt or "")
        self.doubt.setVisible(bool(doubt))
        offer = self.left.offer_of(entry) if entry is not None else None
        told = self.about_page.tell(frame, offer, self.left.wishes.wish)
        self.altitude.show_target(g.ra_deg, g.dec_deg, told)
        self.panels_page.night_h = told.usable_h
        self.panels_page.refresh()

    def _look_up(self, ra_deg: float, dec_deg: float, radius_deg: float) -> None:
        self._jobs.run(
            "chart", lambda: load_field(ra_deg, dec_deg, radius_deg), self.chart.show_field, self._no_field
        )

    def _no_field(self, problem: Exception) -> None:
        self.left.count.setText(f"the stars can't be read: {problem}")

    def _count_strips(self) -> None:
        """The stars between panels: read in a thread, since a mosaic may be large."""
        made = self.frame.mosaic
        if made is None or len(made.panels) == 1:
            self.panels_page.stars = None
            return
        g = made.centre
        radius = min(60.0, max(made.size_deg()) * 0.75 + 0.1)

        def work() -> SkyStars:
            # imported here: the catalogue takes longer to import than the window to open
            from vigil.files.starcatalogue import star_catalogue

            return star_catalogue().cone(g.ra_deg, g.dec_deg, radius)

        self._jobs.run("strips", work, self.panels_page.show_stars, self._no_field)

    # -- into the plan, onto the shelf --------------------------------------------------------------------

    def _hindrance(self) -> str:
        if self.frame.frame is None:
            return "choose a target first"
        return self._session.plan.locked

    def _show_put(self) -> None:
        why_not, frame = self._hindrance(), self.frame.frame
        self.put.setEnabled(not why_not)
        names = {block.target.name for block in self._session.plan.plan.blocks}
        already = frame is not None and self.frame.framed().panel_name(1) in names
        self._say(why_not or ("It is in the plan already; this adds another block." if already else ""))
        self.keep.setEnabled(frame is not None)
        kept = frame is not None and frame.shelf_id in {f.id for f in self.shelf.shelf.framed}
        self.keep.setText("Keep the changes" if kept else "Keep on the shelf")

    def _say(self, text: str) -> None:
        self.put_words.setText(text)
        self.put_words.setVisible(bool(text))

    def put_in_plan(self) -> None:
        """A block a panel with what is still to be taken, in their order. A camera that nothing turns, at an
        angle that nobody unlocked, is left as it stands."""
        frame = self.frame.frame
        if frame is None or self._hindrance():
            return
        plan = self._session.plan
        taken = frames_taken(ledger_file(), self._session.rig.id) if frame.shelf_id else {}
        blocks = blocks_of(
            self.frame.framed(),
            self.frame.field_deg,
            {block.id for block in plan.plan.blocks},
            span=plan.usual_span,
            taken=lambda target, name: taken.get((target, name), 0),
            otherwise=plan.usual_lines,
            at_angle=self.frame.turns_by_itself or frame.unlocked,
        )
        if not blocks:
            self._say("every panel of it is done")
            return
        plan.add_blocks(frame.name, blocks)
        self._go_to("Night")

    def keep_on_shelf(self) -> None:
        if self.frame.frame is None:
            return
        try:
            kept = self.shelf.keep(self.frame.framed())
        except ValueError as problem:
            self._say(str(problem))
            return
        self.frame.take_over("keeping it on the shelf", shelf_id=kept.id)
        self._show_put()
        self._say(f"{kept.name} is on the shelf.")

    # -- other pictures -----------------------------------------------------------------------------------

    def _show_dial(self, on: bool) -> None:
        """In place of the chart, with all the height there is."""
        self.middle.setCurrentWidget(self.dial if on else self.chart)
        self.altitude.setVisible(not on)

    def second(self) -> tuple[QWidget, Callable[[], None]]:
        """The chart alone; it follows this one."""
        twin = Chart(self.frame)

        def look_up(ra_deg: float, dec_deg: float, radius_deg: float) -> None:
            def found(field: Field) -> None:
                twin.show_field(field)

            self._jobs.run(
                "second chart", lambda: load_field(ra_deg, dec_deg, radius_deg), found, self._no_field
            )

        twin.field_wanted.connect(look_up)
        twin.look_at_frame()
        return twin, lambda: twin.follow(self.chart)
