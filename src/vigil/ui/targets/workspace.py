"""Targets: what tonight offers, the chart with the frame on it, into the plan, onto the shelf, or there at
once."""

from collections.abc import Callable
from datetime import timedelta
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFileDialog, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from vigil.documents.messages import Deed, Stage
from vigil.documents.shelf import Framed
from vigil.files.deepsky import DeepSkyObject, UnknownObject, all_objects, find_object
from vigil.files.search import search
from vigil.ledger.counts import frames_taken, lights
from vigil.optics.footprint import Footprint
from vigil.planning.framing import blocks_of, disagreement
from vigil.planning.matching import Earlier, away_from, earlier_frame
from vigil.planning.offer import Offer, Ranking, rank, whole_catalogue
from vigil.planning.shelfcsv import ColumnsUnclear, from_csv, to_csv
from vigil.planning.tonight import Tonight, tonight
from vigil.runtime.folders import (
    backdrops_file,
    cache_folder,
    data_folder,
    ledger_file,
    own_catalogue_folder,
    shelf_file,
)
from vigil.sky.instants import from_datetimes, unix_s
from vigil.sky.spoken import looks_like_position, parse_spoken
from vigil.sky.visibility import usable_hours, year_from
from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.caret import TextLine
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import Facts, OneLine, button, label, row, wrapped
from vigil.ui.session import Session
from vigil.ui.targets.altitude import TargetAltitude
from vigil.ui.targets.backdrops import Backdrop, keep_backdrops, kept_backdrops, load_backdrop
from vigil.ui.targets.chart import Chart
from vigil.ui.targets.field import Field, load_field
from vigil.ui.targets.framemodel import FrameModel
from vigil.ui.targets.layers import Sight
from vigil.ui.targets.offers import ROW, Offers, row_of_entry, row_of_framed, row_of_offer
from vigil.ui.targets.pages import ChartPage, FramePage, PanelsPage
from vigil.ui.targets.shelfmodel import ShelfModel
from vigil.ui.targets.wishes import Wishes
from vigil.ui.targets.year import YearStrip, first_night
from vigil.ui.turning import TurningDial
from vigil.ui.workspace import Edited, Workspace, page, scrolled, side

_DARK_BELOW_DEG = {"civil": -6.0, "nautical": -12.0, "astronomical": -18.0}
_PAGES = ("Target", "Frame", "Panels", "Chart")
_LISTS = ("Tonight", "Shelf")
_REFRESH_MS = 150
_PICTURES = "Pictures (*.fits *.fit *.fts *.tif *.tiff *.png *.jpg *.jpeg)"


class Targets(Workspace):
    """The list left, the chart in the middle, pages about the target right."""

    def __init__(self, session: Session, jobs: Jobs, go_to: Callable[[str], None]) -> None:
        super().__init__("Targets")
        self._session, self._jobs, self._go_to = session, jobs, go_to
        self._begun = False
        self._tonight: Tonight | None = None
        self._told_for: tuple[object, ...] = ()
        self._year_for: tuple[object, ...] = ()
        self._ranking: Ranking | None = None
        self._ranked_for: tuple[object, ...] = ()
        self.offers: dict[str, Offer] = {}
        self.earlier: Earlier | None = None
        self._going = ""
        self.frame = FrameModel(lambda: session.rig, self.camera_angle)
        self.shelf = ShelfModel(shelf_file())
        self._make_list()
        self._make_middle()
        self._make_inspector()
        self._connect()

    # -- how it is laid out -------------------------------------------------------------------------------

    def _make_list(self) -> None:
        self.search = TextLine()
        self.search.setPlaceholderText("name, alias or coordinates")
        self.search.setAccessibleName("Search targets by name, alias or coordinates")
        self.search.setToolTip("Search  Ctrl+F")
        self.list_tabs = [button(name, "plain") for name in _LISTS]
        self.filter_button = button("Filter", "plain", "What to look for, and what counts how much")
        for made in (*self.list_tabs, self.filter_button):
            made.setCheckable(True)
        self.list_tabs[0].setChecked(True)
        self.wishes = Wishes()
        self.wishes.hide()
        self.found = Offers()
        self.count = label("", "small")
        self.count.setWordWrap(True)
        self._scroller: QScrollArea = scrolled(self.found)
        self.shelf_in = button("Import …", "small", "Targets from a CSV list")
        self.shelf_out = button("Export …", "small", "The shelf as CSV")
        self.shelf_off = button("Take off …", "small", "Remove the chosen one from the shelf")
        self.shelf_tags = TextLine()
        self.shelf_tags.setPlaceholderText("tags, divided by commas")
        self.shelf_tags.setAccessibleName("Tags of the chosen framed target")
        self._shelf_row = QWidget()
        inner = QVBoxLayout(self._shelf_row)
        inner.setContentsMargins(0, 0, 0, 0)
        inner.setSpacing(4)
        inner.addWidget(self.shelf_tags)
        inner.addLayout(row(self.shelf_in, self.shelf_out, self.shelf_off, gap=4))
        self._shelf_row.hide()
        tabs = QWidget()
        tabs.setLayout(row(*self.list_tabs, self.filter_button, gap=2))
        self._left = side(
            self.search, tabs, self.wishes, self._scroller, self._shelf_row, self.count, stretch=False
        )
        layout = self._left.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setContentsMargins(16, 12, 8, 8)
        layout.setStretch(3, 1)

    def _make_middle(self) -> None:
        self.chart = Chart(self.frame)
        self.dial = TurningDial()
        self.pictures = QStackedWidget()
        self.pictures.addWidget(self.chart)
        self.pictures.addWidget(self.dial)
        self.altitude = TargetAltitude(self._session)
        self._main = page(self.pictures, self.altitude, gap=12)
        layout = self._main.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretch(0, 1)
        self.first = self.chart

    def _make_inspector(self) -> None:
        session = self._session
        self.title, self.about = label("", "head"), wrapped()
        self.title.setWordWrap(True)
        self.aliases = wrapped("", "small")
        self.doubt = wrapped("", "warn")
        self.doubt.hide()
        self.where, self.tonight_facts, self.light_facts = Facts(), Facts(), Facts()
        self.year = YearStrip()
        self.frame_page = FramePage(session, self.frame, self.camera_angle)
        self.panels_page = PanelsPage(session, self.frame)
        self.chart_page = ChartPage(self.chart)
        target_page = side(
            self.aliases,
            label("Tonight", "section"),
            self.tonight_facts,
            label("The year", "section"),
            self.year,
            label("Brightness", "section"),
            self.light_facts,
            label("Position (ICRS)", "section"),
            self.where,
        )
        layout = target_page.layout()
        if layout is not None:
            layout.setContentsMargins(0, 0, 8, 0)
        self.pages = QStackedWidget()
        for made in (target_page, self.frame_page, self.panels_page, self.chart_page):
            self.pages.addWidget(scrolled(made))
        self.tabs = [button(name, "plain") for name in _PAGES]
        for n, tab in enumerate(self.tabs):
            tab.setCheckable(True)
            tab.clicked.connect(lambda _=False, n=n: self.show_page(n))
        self.tabs[0].setChecked(True)
        self.put = button(
            "Put in tonight's plan", "primary", "A block a panel, at the plan's end", "Ctrl+Shift+P"
        )
        self.keep = button(
            "Keep on the shelf", "small", "With framing, panels and lines, for any night", "Ctrl+Shift+K"
        )
        self.slew = button("Slew", "small", "Send the telescope there")
        self.centre = button(
            "+ centre", "small", "Slew, take a frame, solve, correct, until it is within reach"
        )
        self.turn = button("+ turn", "small", "Slew, bring the camera to this angle, centre")
        self.go_words = OneLine("soft", size=12)
        self.stop_going = button("Stop", "small", "Stop the telescope and what goes on")
        self.stop_going.hide()
        self.put_words = wrapped("", "small")
        tab_row = QWidget()
        tab_row.setLayout(row(*self.tabs, gap=2))
        go_row = QWidget()
        go_row.setLayout(
            row(label("Go there", "small"), self.slew, self.centre, self.turn, self.stop_going, gap=4)
        )
        inspector = side(
            self.title,
            self.about,
            self.doubt,
            tab_row,
            self.pages,
            self.put,
            self.put_words,
            self.keep,
            go_row,
            self.go_words,
            stretch=False,
        )
        inner = inspector.layout()
        assert isinstance(inner, QVBoxLayout)
        inner.setStretch(4, 1)
        self.build(self._main, inspector, self._left)

    def _connect(self) -> None:
        session = self._session
        self.search.textChanged.connect(lambda _: self._fill_list())
        self.search.returnPressed.connect(self._entered_text)
        self.search.installEventFilter(self)
        self.found.chosen.connect(self._chosen)
        for n, tab in enumerate(self.list_tabs):
            tab.clicked.connect(lambda _=False, n=n: self.show_list(n))
        self.filter_button.toggled.connect(self.wishes.setVisible)
        self.wishes.changed.connect(self._rank)
        self.shelf_in.clicked.connect(self._choose_import)
        self.shelf_out.clicked.connect(self._choose_export)
        self.shelf_off.clicked.connect(self._take_off)
        self.shelf_tags.returnPressed.connect(self._tag)
        self.shelf.changed.connect(self._fill_list)
        self.chart.field_wanted.connect(self._look_up)
        self.chart.point_chosen.connect(self._frame_place)
        self.chart.refused.connect(self.frame_page.say)
        self.chart_page.picture_wanted.connect(lambda: self._choose_picture(match=False))
        self.chart_page.remove.clicked.connect(self._remove_backdrop)
        self.chart_page.second_wanted.connect(self.open_second)
        self.frame_page.match_wanted.connect(lambda: self._choose_picture(match=True))
        self.frame_page.also.clicked.connect(self._take_settings)
        self.frame.changed.connect(self._frame_changed)
        self.put.clicked.connect(self.put_in_plan)
        self.keep.clicked.connect(self.keep_on_shelf)
        self.slew.clicked.connect(lambda: self.go_there("slew"))
        self.centre.clicked.connect(lambda: self.go_there("centre"))
        self.turn.clicked.connect(lambda: self.go_there("frame"))
        self.stop_going.clicked.connect(lambda: session.device("mount", "stop"))
        session.deed_told.connect(self._deed_told)
        session.plan.changed.connect(self._show_put)
        session.rig_changed.connect(self._rig_changed)
        session.night_changed.connect(self.frame.follow_camera)
        session.sky_changed.connect(self._sky_changed)
        session.moments.changed.connect(self._moment_changed)
        session.moments.now_changed.connect(self._moment_changed)
        session.devices_changed.connect(self._show_telescope)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.timeout.connect(self._frame_settled)
        self._show_put()

    def edited(self) -> Edited:
        return self.frame

    def actions_here(self) -> list[Action]:
        def no_target() -> str:
            return "" if self.frame.frame is not None else "choose a target first"

        return [
            Action("Search targets", self.begin_search, "Ctrl+F"),
            Action("Put in tonight's plan", self.put_in_plan, "Ctrl+Shift+P", self._hindrance),
            Action("Keep on the shelf", self.keep_on_shelf, "Ctrl+Shift+K", no_target),
            Action(
                "Quarter turn of the frame",
                lambda: self.frame_page.try_(self.frame.quarter_turn),
                "Ctrl+T",
                no_target,
            ),
            Action("Match an earlier frame", lambda: self._choose_picture(match=True), "", no_target),
            Action("Slew and centre here", lambda: self.go_there("centre"), "", no_target),
            Action("The chart in a second window", self.open_second),
        ]

    # -- coming here --------------------------------------------------------------------------------------

    def begin_search(self) -> None:
        """From wherever one is."""
        self._go_to(self.name)
        self.search.setFocus()
        self.search.selectAll()

    def entered(self) -> None:
        """The catalogue is read when it is first wanted."""
        if self._begun:
            self._rank()
            return
        self._begun = True
        self.found.show_rows([], "reading the catalogue…")
        self._jobs.run("catalogue", all_objects, lambda _: self._catalogue_read(), self._failed)
        self._jobs.run("backdrops", _read_backdrops, self._backdrops_read, self._failed)

    def _catalogue_read(self) -> None:
        self._rank()
        blocks = self._session.plan.plan.blocks
        if self.frame.frame is None and blocks:
            target = blocks[0].target
            entry = _entry(target.name)
            if entry is not None:
                self.show_target(entry)
            else:
                self._frame_place(target.ra_deg, target.dec_deg, target.name)

    def _failed(self, problem: Exception) -> None:
        self.found.show_rows([], "the catalogue can't be read")
        self.count.setText(str(problem))

    def show_list(self, which: int) -> None:
        for n, tab in enumerate(self.list_tabs):
            tab.setChecked(n == which)
        self._shelf_row.setVisible(which == 1)
        self.filter_button.setVisible(which == 0)
        self.wishes.setVisible(which == 0 and self.filter_button.isChecked())
        self._fill_list()

    def show_page(self, which: int) -> None:
        for n, tab in enumerate(self.tabs):
            tab.setChecked(n == which)
        self.pages.setCurrentIndex(which)

    @property
    def on_shelf(self) -> bool:
        return self.list_tabs[1].isChecked()

    # -- the list -----------------------------------------------------------------------------------------

    def _rank(self) -> None:
        session = self._session
        key = (session.sky.noon, session.rig, self.wishes.wish)
        if key == self._ranked_for or not self._begun:
            self._fill_list()
            return
        at, rig, wish = session.now, session.rig, self.wishes.wish
        ledger = ledger_file(rig.id)

        def work() -> tuple[object, Ranking]:
            shot = {name for name, _ in frames_taken(ledger)} if wish.not_yet_shot else set()
            return key, rank(whole_catalogue(), rig, at, wish, tuple(shot))

        self._jobs.run("ranking", work, self._ranked, self._failed)

    def _ranked(self, told: tuple[tuple[object, ...], Ranking]) -> None:
        self._ranked_for, self._ranking = told
        self.offers = {offer.entry.name: offer for offer in self._ranking.offers}
        self._fill_list()
        self._retell()

    def _fill_list(self) -> None:
        typed = self.search.text().strip()
        frame = self.frame.frame
        current = frame.name if frame is not None else ""
        differing = self.wishes.differs
        self.filter_button.setText(f"Filter · {differing}" if differing else "Filter")
        if self.on_shelf:
            self._fill_shelf(typed, current)
        elif typed and looks_like_position(typed):
            self.found.show_rows([], "a position: Enter frames it")
            self.count.setText(self._spoken_words(typed))
        elif typed:
            entries = search(typed)
            rows = [
                row_of_offer(self.offers[e.name]) if e.name in self.offers else row_of_entry(e)
                for e in entries
            ]
            # nothing is marked: the first step down is to the first that was found
            self.found.show_rows(rows, "nothing of this name")
            self._scroll_to_top()
            more = "the first 60 found" if len(entries) == 60 else f"{len(entries)} found"
            self.count.setText(more if entries else "other spellings, or an alias, may be known")
        elif self._ranking is None:
            self.found.show_rows([], "weighing what tonight offers…")
        else:
            self._fill_offers(self._ranking, current)

    def _fill_offers(self, ranking: Ranking, current: str) -> None:
        empty = "it does not get dark tonight" if ranking.dark_h == 0 else "nothing fits: loosen the filter"
        self.found.show_rows([row_of_offer(o) for o in ranking.offers], empty, current)
        total = words.grouped(len(all_objects()))
        self.count.setText(f"{words.grouped(ranking.considered)} of {total} rise tonight")

    def _fill_shelf(self, typed: str, current: str) -> None:
        small = typed.casefold()
        kept = [
            f
            for f in self.shelf.shelf.framed
            if small in f.name.casefold() or any(small in tag.casefold() for tag in f.tags)
        ]
        empty = "nothing like that" if typed else "frame a target, then keep it here"
        self.found.show_rows([row_of_framed(f) for f in kept], empty, current)
        self.count.setText(self.shelf.problem or f"{len(self.shelf.shelf.framed)} on the shelf")

    def _spoken_words(self, typed: str) -> str:
        try:
            spoken = parse_spoken(typed, from_datetimes(self._session.now))
        except ValueError as problem:
            return str(problem)
        date = ", given for the equinox of date" if spoken.of_date else ""
        return f"{words.ra(spoken.ra_deg)} {words.dec(spoken.dec_deg)}{date}"

    def _entered_text(self) -> None:
        typed = self.search.text()
        if looks_like_position(typed) and not self.on_shelf:
            try:
                spoken = parse_spoken(typed, from_datetimes(self._session.now))
            except ValueError as problem:
                self.count.setText(str(problem))
                return
            self._frame_place(spoken.ra_deg, spoken.dec_deg)
            self.chart.look_at_frame()
        else:
            self.found.choose(max(0, self.found.current))

    def _scroll_to_top(self) -> None:
        bar = self._scroller.verticalScrollBar()
        if bar is not None:
            bar.setValue(0)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if step is not None:
                self.found.step(step)
                self._scroller.ensureVisible(
                    0, int(self.found.row_rect(self.found.current).center().y()), 0, ROW
                )
                return True
        return False

    # -- the target ---------------------------------------------------------------------------------------

    def _chosen(self, what: DeepSkyObject | Framed) -> None:
        if isinstance(what, Framed):
            self.frame.show_framed(what, _entry(what.name))
            self.shelf_tags.setText(", ".join(what.tags))
            self.chart.look_at_frame()
        else:
            self.show_target(what)

    def show_target(self, entry: DeepSkyObject) -> None:
        self.earlier = None
        self.frame.show_object(entry)
        self.chart.look_at_frame()

    def _frame_place(self, ra_deg: float, dec_deg: float, name: str = "") -> None:
        """A bare point of the sky."""
        self.earlier = None
        self.frame.show_place(name or f"{words.ra(ra_deg)} {words.dec(dec_deg)}", ra_deg, dec_deg)

    @property
    def target(self) -> DeepSkyObject | None:
        """The catalogue's object that is being framed."""
        return self.frame.frame.entry if self.frame.frame is not None else None

    def camera_angle(self) -> float | None:
        """How the camera stood in the last solved frame of tonight."""
        for light in reversed(self._session.record.measured()):
            angle = light.values.get("position_angle_deg")
            if angle is not None:
                return float(angle)
        angle_record = self._session.record.state.angle
        return angle_record.position_angle_deg if angle_record is not None else self._hand_angle

    _hand_angle: float | None = None

    def _frame_changed(self) -> None:
        """At once what is cheap, the rest when the hand rests."""
        self.frame_page.refresh()
        self._settle.start(_REFRESH_MS)

    @property
    def settling(self) -> bool:
        """Whether a change of the frame has yet to be followed by what takes its time."""
        return self._settle.isActive()

    def _frame_settled(self) -> None:
        self._retell()
        self._show_put()
        self._show_match()
        self._count_strips()

    def _moment_changed(self) -> None:
        if self.isVisible():
            self._show_sight()
            self._retell()

    def _sky_changed(self) -> None:
        if self._begun:
            self._rank()
        self._retell()

    def _rig_changed(self) -> None:
        """Another camera frames another piece of sky."""
        self.frame.changed.emit()
        self._rank()

    def _show_sight(self) -> None:
        session = self._session
        rig = session.rig
        points = tuple((p.azimuth_deg, p.altitude_deg) for p in rig.site.horizon)
        least = rig.site.minimum_altitude_deg
        line = tuple((a, max(h, least)) for a, h in points) or ((0.0, least),)
        shown = session.moments.shown.replace(second=0, microsecond=0)
        sight = Sight(rig.site.place(), shown, line)
        if sight != self.chart.sight:
            self.chart.set_sight(sight)
        as_at = session.moments.as_at
        note = f"as at {words.clock(as_at, session.zone)}" if as_at is not None else ""
        if note != self.chart.note:
            self.chart.note = note
            self.chart.update()

    def _show_telescope(self) -> None:
        report = self._session.reports.get("mount")
        state = report.state if report is not None else {}
        if "ra_deg" not in state:
            self.chart.telescope = None
        else:
            angle = self.camera_angle() or 0.0
            self.chart.telescope = Footprint(
                float(state["ra_deg"]), float(state["dec_deg"]), angle, *self.frame.field_deg
            )
        self.chart.camera_angle_deg = self.camera_angle() or 0.0
        self.chart.update()
        self._show_match()

    def _retell(self) -> None:
        frame, session = self.frame.frame, self._session
        if frame is None:
            return
        g, zone = frame.framing, session.zone
        key = (g.ra_deg, g.dec_deg, session.sky.noon, session.rig)
        if self._tonight is None or self._told_for != key:
            self._tonight, self._told_for = tonight(g.ra_deg, g.dec_deg, session.rig, session.now), key
            self._reckon_year()
        told = self._tonight
        self.altitude.show_target(g.ra_deg, g.dec_deg, told)
        self.title.setText(frame.name)
        entry = frame.entry
        self.about.setText(_about(entry) if entry is not None else "a place of your own")
        also = [*(entry.common_names[1:] if entry else ()), *(entry.aliases if entry else ())]
        self.aliases.setText("also " + ", ".join(also[:5]) if also else "")
        self.aliases.setVisible(bool(also))
        doubt = disagreement(frame.name, g.ra_deg, g.dec_deg) if entry is None else None
        self.doubt.setText(doubt or "")
        self.doubt.setVisible(bool(doubt))
        self.where.show_facts(
            [("right ascension", words.ra(g.ra_deg)), ("declination", words.dec(g.dec_deg))]
        )
        self._tell_tonight(told, zone)
        self._tell_light(entry)
        if self.panels_page.night_h != told.usable_h:
            self.panels_page.night_h = told.usable_h
        self.panels_page.refresh()

    def _tell_tonight(self, told: Tonight, zone: str) -> None:
        session, frame = self._session, self.frame.frame
        assert frame is not None
        spans = [f"{words.clock(i.opens, zone)}–{words.clock(i.closes, zone)}" for i in told.intervals]
        facts = [
            ("dark and high enough", ", ".join(spans) or "never tonight"),
            ("usable", words.duration(3600 * told.usable_h) if told.intervals else words.NOTHING),
        ]
        if told.transit is not None:
            high = words.degrees(told.transit_altitude_deg)
            facts.append(("meridian", f"{words.clock(told.transit, zone)}, {high}"))
            flip = self._flip(told)
            if flip:
                facts.append(("flip", flip))
        moon = words.degrees(told.moon_apart_deg)
        facts.append(("moon", f"{100 * told.moon_illumination:.0f} %, {moon} away"))
        shown = session.moments.shown
        g = frame.framing
        altitude = session.sky.at(session.altitudes_deg(g.ra_deg, g.dec_deg), shown)
        facts.append((f"altitude at {words.clock(shown, zone)}", words.degrees(altitude)))
        self.tonight_facts.show_facts(facts)

    def _flip(self, told: Tonight) -> str:
        """When a german mount changes sides."""
        mount = self._session.rig.mount
        if mount is None or mount.kind != "german" or told.transit is None:
            return ""
        window = mount.flip
        after = 0.0 if window is None else (window.preferred_min or window.earliest_min)
        flip = told.transit + timedelta(minutes=after)
        up = any(i.opens <= flip <= i.closes for i in told.intervals)
        return words.clock(flip, self._session.zone) if up else "not while it is up"

    def _tell_light(self, entry: DeepSkyObject | None) -> None:
        offer = self.offers.get(entry.name) if entry is not None else None
        if offer is None:
            self.light_facts.show_facts([("sky and object", "not ranked tonight")])
            return
        own = "unknown" if offer.object_mag is None else f"{offer.object_mag:.1f} mag/arcsec²"
        contrast = words.NOTHING if offer.contrast_mag is None else f"{words.signed(offer.contrast_mag)} mag"
        self.light_facts.show_facts(
            [
                ("sky there, on the mean", f"{offer.sky_mag:.1f} mag/arcsec²"),
                ("object's surface", own),
                (f"object over sky, {self.wishes.wish.light}", contrast),
                ("frame", offer.fit),
                ("rank", f"{offer.score:.2f}"),
            ]
        )

    def _reckon_year(self) -> None:
        session, frame = self._session, self.frame.frame
        assert frame is not None
        g, rig = frame.framing, session.rig
        noon = session.sky.noon
        first = first_night(noon)
        depth = _DARK_BELOW_DEG[self.wishes.wish.dusk]
        site, line = rig.site.place(), rig.site.sky_line()

        def work() -> tuple:
            year = year_from(unix_s(first), 365, site)
            return usable_hours(g.ra_deg, g.dec_deg, year, line, depth), first, (noon - first).days

        self._jobs.run("year", work, lambda told: self.year.show_hours(*told), lambda _: self.year.clear())

    def _look_up(self, ra_deg: float, dec_deg: float, radius_deg: float) -> None:
        self._jobs.run(
            "chart", lambda: load_field(ra_deg, dec_deg, radius_deg), self._field_found, self._no_field
        )

    def _field_found(self, field: Field) -> None:
        self.chart.show_field(field)

    def _no_field(self, problem: Exception) -> None:
        self.count.setText(f"the stars can't be read: {problem}")

    def _count_strips(self) -> None:
        """The stars between panels: counted in a thread, since a mosaic may be large."""
        made = self.frame.mosaic
        if made is None or len(made.panels) == 1:
            self.panels_page.stars = None
            return
        g = made.centre
        radius = max(made.size_deg()) * 0.75 + 0.1

        def work() -> object:
            from vigil.files.starcatalogue import star_catalogue

            return star_catalogue().cone(g.ra_deg, g.dec_deg, min(radius, 60.0))

        def counted(stars: object) -> None:
            self.panels_page.stars = stars  # type: ignore[assignment]
            self.panels_page.refresh()

        self._jobs.run("strips", work, counted, lambda _: None)

    # -- into the plan, onto the shelf --------------------------------------------------------------------

    def _hindrance(self) -> str:
        if self.frame.frame is None:
            return "choose a target first"
        return self._session.plan.locked

    def _show_put(self) -> None:
        why_not = self._hindrance()
        self.put.setEnabled(not why_not)
        frame = self.frame.frame
        names = {block.target.name for block in self._session.plan.plan.blocks}
        already = frame is not None and self.frame.framed().panel_name(1) in names
        if why_not:
            self.put_words.setText(why_not)
        else:
            self.put_words.setText("It is in the plan already; this adds another block." if already else "")
        self.put_words.setVisible(bool(self.put_words.text()))
        self.keep.setEnabled(frame is not None)
        kept = frame is not None and frame.shelf_id in {f.id for f in self.shelf.shelf.framed}
        self.keep.setText("Keep the changes" if kept else "Keep on the shelf")

    def put_in_plan(self) -> None:
        """A block a panel with what is still to be taken, in their order."""
        frame = self.frame.frame
        if frame is None or self._hindrance():
            return
        plan = self._session.plan
        taken = frames_taken(ledger_file(self._session.rig.id)) if frame.shelf_id else {}
        blocks = blocks_of(
            self.frame.framed(),
            self.frame.field_deg,
            {block.id for block in plan.plan.blocks},
            span=plan.usual_span,
            taken=lambda target, name: taken.get((target, name), 0),
            otherwise=plan.usual_lines,
        )
        if not blocks:
            self.put_words.setText("every panel of it is done")
            self.put_words.show()
            return
        if not (self.frame.turns_by_itself or frame.unlocked):
            # nothing turns this camera, it stands as it does: no angle is asked for
            blocks = [
                b.model_copy(update={"target": b.target.model_copy(update={"position_angle_deg": None})})
                for b in blocks
            ]
        plan.add_blocks(frame.name, blocks)
        self._go_to("Night")

    def keep_on_shelf(self) -> None:
        if self.frame.frame is None:
            return
        try:
            kept = self.shelf.keep(self.frame.framed())
        except ValueError as problem:
            self.put_words.setText(str(problem))
            self.put_words.show()
            return
        self.frame.take_over("keeping it on the shelf", shelf_id=kept.id)
        self._show_put()
        self.put_words.setText(f"{kept.name} is on the shelf.")
        self.put_words.show()

    def _take_off(self) -> None:
        what = self._chosen_framed()
        if what is not None:
            self._try_shelf(lambda: self.shelf.remove(what.id))

    def _tag(self) -> None:
        what = self._chosen_framed()
        tags = [t.strip() for t in self.shelf_tags.text().split(",") if t.strip()]
        if what is not None:
            self._try_shelf(lambda: self.shelf.tag(what.id, tags))

    def _chosen_framed(self) -> Framed | None:
        if not 0 <= self.found.current < len(self.found.rows):
            return None
        what = self.found.rows[self.found.current].what
        return what if isinstance(what, Framed) else None

    def _try_shelf(self, do: Callable[[], None]) -> None:
        try:
            do()
        except ValueError as problem:
            self.count.setText(str(problem))

    def _choose_import(self) -> None:
        name, _ = QFileDialog.getOpenFileName(
            self,
            "Targets from a list",
            "",
            "Lists (*.csv *.txt)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if name:
            self.import_list(Path(name))

    def import_list(self, path: Path) -> None:
        """Good rows are kept, the others named; columns that aren't understood are said."""
        try:
            read = from_csv(path.read_text(encoding="utf-8-sig"), self.shelf.shelf.unused_id)
            self.shelf.keep_all(read.framed)
        except ColumnsUnclear as problem:
            self.count.setText(f"{problem}; rename them, or use vigil shelf import --column")
            return
        except (OSError, ValueError) as problem:
            self.count.setText(f"{path.name}: {problem}")
            return
        said = [f"{len(read.framed)} put on the shelf", *read.left_out[:4], *read.doubts[:3]]
        more = len(read.left_out) + len(read.doubts) - (len(said) - 1)
        self.count.setText("\n".join([*said, *([f"… and {more} more"] if more > 0 else [])]))

    def _choose_export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self,
            "The shelf as CSV",
            "shelf.csv",
            "Lists (*.csv)",
            options=QFileDialog.Option.DontUseNativeDialog,
        )
        if not name:
            return
        from vigil.files.atomic import write_bytes

        try:
            write_bytes(Path(name), to_csv(self.shelf.shelf).encode())
            self.count.setText(f"written to {Path(name).name}")
        except OSError as problem:
            self.count.setText(f"{name} can't be written: {problem.strerror}")

    # -- one's own pictures -------------------------------------------------------------------------------

    def _choose_picture(self, match: bool) -> None:
        said = "Match an earlier frame" if match else "A picture for the chart"
        name, _ = QFileDialog.getOpenFileName(
            self, said, self._frames_folder(), _PICTURES, options=QFileDialog.Option.DontUseNativeDialog
        )
        if name:
            self.take_picture(Path(name), match)

    def _frames_folder(self) -> str:
        """Where the last light of this target lies, else the rig's frames."""
        frame, rig_id = self.frame.frame, self._session.rig.id
        for light in lights(ledger_file(rig_id)):
            if frame is not None and light.target.startswith(frame.name) and light.path.exists():
                return str(light.path)
        return str(data_folder(rig_id) / "frames")

    def take_picture(self, path: Path, match: bool) -> None:
        """Solve a picture and lay it on the chart; with `match` take its framing over too."""
        busy = self.chart_page.busy
        busy.say(f"solving {path.name} …")
        self.frame_page.match_words.setText(f"solving {path.name} …" if match else "")

        def work() -> tuple:
            from vigil.files.solvefile import solve_file_apart

            solved = solve_file_apart(path, cache_folder(), own_catalogue_folder())
            laid = load_backdrop(path, solved.wcs) if solved.wcs is not None else None
            return solved, laid

        def done(told: tuple) -> None:
            solved, laid = told
            busy.say("" if laid is not None else f"{path.name}: {solved.reason}")
            if laid is None:
                self.frame_page.match_words.setText(f"not solved: {solved.reason}" if match else "")
                return
            self._lay(laid)
            if match:
                self._match(earlier_frame(solved.header, laid.wcs), path)

        def failed(problem: Exception) -> None:
            busy.say(str(problem))
            self.frame_page.match_words.setText(str(problem) if match else "")

        self._jobs.run("picture", work, done, failed)

    def _lay(self, backdrop: Backdrop) -> None:
        kept = [b for b in self.chart.backdrops if b.path != backdrop.path]
        self.chart.backdrops = [*kept, backdrop]
        self._backdrops_changed()

    def _remove_backdrop(self) -> None:
        n = self.chart_page.pictures.currentIndex()
        if 0 <= n < len(self.chart.backdrops):
            self.chart.backdrops = [b for k, b in enumerate(self.chart.backdrops) if k != n]
            self._backdrops_changed()

    def _backdrops_changed(self) -> None:
        try:
            keep_backdrops(backdrops_file(), self.chart.backdrops)
        except OSError as problem:
            self.chart_page.busy.say(f"the list of pictures can't be saved: {problem.strerror}")
        self._show_backdrops()

    def _backdrops_read(self, backdrops: list[Backdrop]) -> None:
        self.chart.backdrops = backdrops
        self._show_backdrops()

    def _show_backdrops(self) -> None:
        choice = self.chart_page.pictures
        choice.clear()
        choice.addItems([b.path.name for b in self.chart.backdrops] or ["none yet"])
        self.chart_page.remove.setEnabled(bool(self.chart.backdrops))
        self.chart.redraw()

    def _match(self, earlier: Earlier, path: Path) -> None:
        """Centre and rotation exactly; what it is called is checked against where it lies."""
        self.earlier = earlier
        g, frame = earlier.footprint, self.frame.frame
        name = earlier.name or (frame.name if frame is not None else path.stem)
        doubt = disagreement(name, g.ra_deg, g.dec_deg)
        entry = _entry(name) if doubt is None else None
        if frame is None or doubt is not None or frame.name != name:
            self.frame.show_place(name, g.ra_deg, g.dec_deg)
        state = self.frame.frame
        assert state is not None
        framing = state.framing.model_copy(
            update={
                "ra_deg": g.ra_deg % 360,
                "dec_deg": g.dec_deg,
                "position_angle_deg": g.position_angle_deg % 360,
                "columns": 1,
                "rows": 1,
            }
        )
        self.frame.take_over(
            f"matching {path.name}",
            framing=framing,
            entry=entry or state.entry,
            unlocked=True,
            panels=(),
            order=(),
        )
        said = [path.name, doubt or ""]
        if earlier.exposure_s is not None:
            said.append(f"{earlier.filter} {earlier.exposure_s:g} s, gain {earlier.gain}".strip())
        self.frame_page.match_words.setText(" · ".join(s for s in said if s))
        self.frame_page.also.setVisible(earlier.exposure_s is not None)
        self.show_page(1)
        self.chart.look_at_frame()

    def _take_settings(self) -> None:
        """Exposure, gain, offset, binning and set-point of the matched frame."""
        earlier, plan = self.earlier, self._session.plan
        if earlier is None or earlier.exposure_s is None:
            return
        names = self._session.rig.filter_names
        line = plan.line_like(
            filter=earlier.filter if earlier.filter in names else (names or [""])[0],
            exposure_s=earlier.exposure_s,
            gain=earlier.gain,
            offset=earlier.offset,
            binning=earlier.binning or 1,
        )
        self.frame.take_over("taking over its settings", lines=(line,), set_point_c=earlier.set_point_c)
        self.frame_page.match_words.setText(f"lines: {line.words}, as it was taken")

    def _show_match(self) -> None:
        """How far telescope and camera are from the frame now."""
        facts = self.frame_page.match_facts
        sensor, now = self.frame.sensor, self.chart.telescope
        if self.earlier is None or sensor is None:
            facts.show_facts([])
            return
        if now is None:
            facts.show_facts([("telescope", "not connected")])
            return
        if self.camera_angle() is None:
            apart = away_from(sensor, now)
            facts.show_facts(
                [("telescope is off by", words.arc(apart.arcsec / 60)), ("camera", "not solved yet")]
            )
            return
        away = away_from(sensor, now)
        facts.show_facts(
            [
                ("telescope is off by", words.arc(away.arcsec / 60)),
                ("camera is off by", f"{words.signed(away.turn_deg)}°"),
                ("common area", f"{100 * away.common:.1f} %"),
            ]
        )

    # -- there --------------------------------------------------------------------------------------------

    def go_there(self, how: str) -> None:
        """Slew; slew and centre; slew, turn and centre."""
        frame = self.frame.frame
        if frame is None:
            return
        g = frame.framing
        values: dict[str, object] = {"ra": f"{g.ra_deg:.6f}", "dec": f"{g.dec_deg:.6f}"}
        if how == "frame":
            values["angle_deg"] = g.position_angle_deg
            self.dial.begin(f"{frame.name} at {g.position_angle_deg % 180:.1f}°")
        self._going = how
        self.go_words.say("asked for…", "soft")
        self._session.device("mount", how, **values)

    def _deed_told(self, deed: Deed) -> None:
        if deed.device != "mount" or deed.action not in ("slew", "centre", "frame"):
            return
        values = deed.values
        self.stop_going.setVisible(not deed.over)
        if "position_angle_deg" in values:
            self._hand_angle = float(values["position_angle_deg"])
            self.frame.follow_camera()
            self._show_telescope()
        if "turn_deg" in values:
            turn = float(values["turn_deg"])
            self.dial.show_turn(turn, float(values["limit_deg"]), str(values["way"]), int(values["attempt"]))
            if not self.frame.turns_by_itself:
                self._show_dial(True)
        if deed.over or "off_px" in values:
            self._show_dial(False)
        if deed.stage is Stage.FAILED:
            self.go_words.say(f"not there: {deed.reason}", "warn")
        elif deed.stage is Stage.DONE:
            self.go_words.say(deed.reason, "accent")
        else:
            self.go_words.say(deed.reason or "on the way…", "soft")

    def _show_dial(self, on: bool) -> None:
        """In place of the chart, with all the height there is."""
        self.pictures.setCurrentWidget(self.dial if on else self.chart)
        self.altitude.setVisible(not on)

    # -- a second monitor ---------------------------------------------------------------------------------

    def open_second(self) -> None:
        """The chart once more, in a window of its own."""
        from vigil.ui.second import SecondWindow

        twin = Chart(self.frame)
        self._second = SecondWindow("Vigil — chart", twin)

        def follow() -> None:
            chart = self.chart
            twin.layers, twin.orientation, twin.sight = chart.layers, chart.orientation, chart.sight
            twin.backdrops, twin.telescope, twin.note = chart.backdrops, chart.telescope, chart.note
            twin.redraw()

        def look_up(ra_deg: float, dec_deg: float, radius_deg: float) -> None:
            self._jobs.run(
                "second chart",
                lambda: load_field(ra_deg, dec_deg, radius_deg),
                twin.show_field,
                self._no_field,
            )

        twin.field_wanted.connect(look_up)
        self._second.follow(follow)
        follow()
        self._second.show()
        twin.look_at_frame()


def _about(entry: DeepSkyObject) -> str:
    size = words.arc(entry.major_arcmin) if entry.major_arcmin else "size unknown"
    if entry.minor_arcmin and entry.minor_arcmin != entry.major_arcmin:
        size += f" {words.TIMES} {words.arc(entry.minor_arcmin)}"
    common = entry.common_names[0] if entry.common_names else ""
    return ", ".join(x for x in (common, f"{entry.kind}, {size}", entry.constellation) if x)


def _entry(name: str) -> DeepSkyObject | None:
    try:
        return find_object(name)
    except UnknownObject:
        return None


def _read_backdrops() -> list[Backdrop]:
    found = []
    for path, wcs in kept_backdrops(backdrops_file()):
        try:
            found.append(load_backdrop(path, wcs))
        except (OSError, ValueError):
            continue
    return found
