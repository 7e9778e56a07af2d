"""Watch: what is happening now, else the last frame; trends under it; conditions and reasons beside it."""

from pathlib import Path

from PyQt6.QtCore import QTimer
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QBoxLayout, QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from vigil.documents.messages import Command
from vigil.documents.plan import Block, of_wanted
from vigil.imaging.stretch import Stretch, auto_stretch
from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.focuscurve import FocusCurve
from vigil.ui.image.histogram import Histogram
from vigil.ui.image.loading import Loaded, load_for_view
from vigil.ui.image.loupe import Loupe
from vigil.ui.image.overlay import FrameOverlay
from vigil.ui.image.view import FrameView, Under
from vigil.ui.jobs import Jobs
from vigil.ui.linkstate import LinkState
from vigil.ui.pieces import Facts, Note, OneLine, ProgressBar, button, label, row, wrapped
from vigil.ui.record import Light, Turning
from vigil.ui.session import Session
from vigil.ui.theme import Size, set_styled
from vigil.ui.turning import TurningDial
from vigil.ui.watch.blinking import Blinking, small_picture
from vigil.ui.watch.centring import CentringError
from vigil.ui.watch.conditions import Conditions
from vigil.ui.watch.filmstrip import Filmstrip
from vigil.ui.watch.mood import across_the_room, coming, lost_words, mood_of
from vigil.ui.watch.reasons import Reasons
from vigil.ui.watch.trends import Trends
from vigil.ui.workspace import Workspace, page, scrolled, side

_REST_MS, _ACROSS_PX, _NARROW_PX = 60, 40, 720
_MOST_LINES = 4


class Watch(Workspace):
    """Follows the session; frames are read in a worker thread."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__("Watch")
        self._session = session
        self._jobs = jobs
        self._shown: Path | None = None
        self._wanted: Path | None = None
        self._problem = ""
        self._pointed: Under | None = None
        self._by_hand: tuple[str, Stretch] | None = None
        """The stretch set by hand, and the filter it was set for: frames of that filter keep it."""
        self.frame = FrameView()
        self.curve = FocusCurve(session)
        self.centring = CentringError()
        self.start = button("Start the night", "primary", "Begin tonight's plan", "Ctrl+Return")
        self.start.clicked.connect(session.start_night)
        self.note = Note("", "", self.start)
        self.pictures = QStackedWidget()
        self.turning = TurningDial()
        self._turning = page(self.turning)
        for picture in (self.note, self.frame, self.curve, self.centring, self._turning):
            self.pictures.addWidget(picture)
        self.title, self.subtitle = OneLine(strong=True), OneLine("soft", size=Size.SMALL)
        self.fit = button("Fit", "plain", "The whole frame", "0")
        self.one = button("1:1", "plain", "One pixel of the frame on one of the screen", "1")
        self.auto = button("Auto stretch", "plain", "Black and white point from the frame itself")
        self.loupe_on = button("Loupe", "plain", "What is under the pointer, pixel by pixel", "Ctrl+L")
        self.loupe_on.setCheckable(True)
        self.loupe = Loupe(self.frame)
        self.loupe_on.toggled.connect(self.loupe.switch)
        self.large, self.large_now = OneLine("accent", strong=True, size=_ACROSS_PX), OneLine(size=Size.LARGE)
        for line in (self.large, self.large_now):
            line.hide()
        self.figures = label("", "number")
        self.figures.setWordWrap(True)
        self.under = OneLine("text")
        self.histogram = Histogram()
        self.strip = Filmstrip(session)
        self.blink = button("Blink", "plain", "To and fro with the frame before", "Ctrl+B")
        self.blink.setCheckable(True)
        self.reject = button(
            "Reject", "plain", "This frame doesn't count, and is taken again", "Ctrl+Shift+X"
        )
        self._blinking = Blinking(self.frame, jobs)
        self.trends = Trends(session)
        self.fold_strip = button("Frames", "plain", "The latest frames, under the picture")
        self.fold_trends = button("Trends", "plain", "Three trends in place of one")
        for fold, on in ((self.fold_strip, True), (self.fold_trends, False)):
            fold.setCheckable(True)
            fold.setChecked(on)
            fold.toggled.connect(lambda _: self._fold())
        self._large = False
        self._tools = QWidget()
        self.overlay = FrameOverlay(self.frame, jobs, self._overlay_said, "overlay")
        self._tools.setLayout(
            row(
                self.reject,
                self.blink,
                self.overlay.names,
                self.overlay.residuals,
                self.overlay.shapes,
                self.loupe_on,
                self.fit,
                self.one,
                self.auto,
                gap=2,
            )
        )
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.timeout.connect(self._tell_under)
        self._build_main()
        self._build_side()
        self._connect()
        self.show_anew()

    def _build_main(self) -> None:
        texts = QVBoxLayout()
        texts.setSpacing(0)
        texts.addWidget(self.title)
        texts.addWidget(self.subtitle)
        self._head = QBoxLayout(QBoxLayout.Direction.LeftToRight)
        self._head.addLayout(texts, 1)
        self._head.addWidget(self._tools)
        below = QHBoxLayout()
        below.setSpacing(Size.MARGIN)
        said = QVBoxLayout()
        said.setSpacing(2)
        said.addWidget(self.figures)
        said.addWidget(self.under)
        said.addStretch(1)
        below.addLayout(said, 1)
        below.addWidget(self.histogram, 1)
        folds = QVBoxLayout()
        folds.setSpacing(0)
        folds.addWidget(self.fold_strip)
        folds.addWidget(self.fold_trends)
        below.addLayout(folds)
        self._below = QWidget()
        self._below.setLayout(below)
        below.setContentsMargins(0, 0, 0, 0)
        across = QHBoxLayout()
        across.addWidget(self.large, 1)
        across.addWidget(self.large_now, 1)
        main = page(across, self._head, self.pictures, self._below, self.strip, self.trends, gap=6)
        layout = main.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretchFactor(self.pictures, 1)
        self._main = main
        self._fold()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Where it is narrow the frame's name has a line to itself."""
        super().resizeEvent(event)
        narrow = self._main.width() < _NARROW_PX
        ways = QBoxLayout.Direction
        self._head.setDirection(ways.TopToBottom if narrow else ways.LeftToRight)

    def _fold(self) -> None:
        """What stands under the picture; across the room nothing does."""
        self.strip.setVisible(self.fold_strip.isChecked() and not self._large)
        self.trends.setVisible(not self._large)
        self.trends.show_rows(self.fold_trends.isChecked())

    def _build_side(self) -> None:
        self.mood = label("", "head")
        self.mood_words = wrapped()
        self.lost = wrapped("", "warn")
        self.done = Facts()
        self.done_bar = ProgressBar()
        self.next = Facts()
        self.refocus = button("Refocus", "plain", "Focus after the frame under way")
        self.pause_focus = button("Pause refocusing", "plain", "No refocusing until you resume it")
        self.after_frame = button(
            "End after frame", "plain", "Finish the frame under way, then close the night"
        )
        self.agreed = wrapped("", "small")
        self.conditions = Conditions()
        self.reasons = Reasons(self._session.zone)
        inspector = side(
            self.mood,
            self.mood_words,
            _headed("Frames", self.after_frame),
            self.done,
            self.done_bar,
            self.lost,
            _headed("Next", self.refocus, self.pause_focus),
            self.next,
            self.agreed,
            label("Each exposure needs", "section"),
            self.conditions,
            label("Why", "section"),
            scrolled(self.reasons),
            stretch=False,
        )
        layout = inspector.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretch(layout.count() - 1, 1)
        self.build(self._main, inspector)

    def _connect(self) -> None:
        session = self._session
        self.fit.clicked.connect(self.frame.fit)
        self.one.clicked.connect(self.frame.one_to_one)
        self.auto.clicked.connect(self._auto_stretch)
        self.histogram.stretched.connect(self._stretch_by_hand)
        self.frame.pointed.connect(self._point)
        self.strip.chosen.connect(lambda _: self.refresh())
        self.strip.judged.connect(lambda frame, said: session.ask(Command.JUDGE, frame=frame, verdict=said))
        self.reject.clicked.connect(self.strip.judge)
        self.blink.toggled.connect(self._blink)
        self.refocus.clicked.connect(lambda: session.ask(Command.REFOCUS))
        self.pause_focus.clicked.connect(self._pause_focus)
        self.after_frame.clicked.connect(
            lambda: session.ask(Command.END, after_frame=True, reason="ended by hand")
        )
        session.night_changed.connect(self.refresh)
        session.night_begun.connect(self._forget)
        session.status_changed.connect(self._status_changed)
        session.link_changed.connect(self.refresh)

    def enlarge(self, large: bool) -> None:
        self.title.enlarge(Size.LARGE if large else Size.BODY)
        for line in (self.large, self.large_now):
            line.setVisible(large)
        self._large = large
        self._tools.setVisible(not large and self.pictures.currentWidget() is self.frame)
        self.histogram.setVisible(not large)
        for fold in (self.fold_strip, self.fold_trends):
            fold.setVisible(not large)
        self._fold()
        set_styled(self.figures, "role", "number-large" if large else "number")

    def actions_here(self) -> list[Action]:
        def no_frame() -> str:
            return "" if self._shown else "no frame is shown"

        return [
            Action("Fit the frame", self.frame.fit, "", no_frame),
            Action("Frame at 1:1", self.frame.one_to_one, "", no_frame),
            Action("Auto stretch", self._auto_stretch, "", no_frame),
            Action("Names on the frame", self.overlay.names.toggle, "Ctrl+Shift+N", no_frame),
            Action("Loupe under the pointer", self.loupe_on.toggle, "Ctrl+L", no_frame),
            Action("Blink with the frame before", self.blink.toggle, "Ctrl+B", no_frame),
            Action("Reject this frame, or keep it", self.strip.judge, "Ctrl+Shift+X", self._no_verdict),
            Action("Star shapes and clipped pixels", self.overlay.shapes.toggle, "", no_frame),
            Action("Residuals on the frame", self.overlay.residuals.toggle, "", no_frame),
            Action("The latest frames, shown or folded", self.fold_strip.toggle),
            Action("Trends: three or one", self.fold_trends.toggle),
        ]

    # -- the picture ------------------------------------------------------------------------------------

    def show_anew(self) -> None:
        light = self.strip.current()
        if light is not None and light.path != self._wanted:
            self.blink.setChecked(False)
            self._load(light)
        self._choose_picture()
        self._show_figures()
        self._refresh_side()

    def _choose_picture(self) -> None:
        record = self._session.record
        focusing, centring, turning = record.focusing, record.centring, record.turning
        if self.strip.chosen_id is not None and self._shown is not None:
            self._show(self.frame)
        elif turning is not None:
            self._show_turning(turning)
        elif focusing is not None:
            self.curve.show_run(focusing)
            self._show(self.curve)
        elif centring is not None:
            self.centring.show_run(centring)
            self._show(self.centring)
        elif self._shown is not None:
            self._show(self.frame)
        elif self._problem:
            self.note.say("The last frame can't be shown", self._problem)
            self.start.hide()
            self._show(self.note)
        elif record.focus_runs and record.under_way:
            # the last curve says more than an empty frame
            self.curve.show_run(record.focus_runs[-1])
            self._show(self.curve)
        else:
            self._say_why_empty()
            self._show(self.note)

    def _show_turning(self, run: Turning) -> None:
        self.turning.begin(run.words)
        if run.turn_deg is not None:
            self.turning.show_turn(run.turn_deg, run.limit_deg, run.way, run.attempt)
        self._show(self._turning)

    def _overlay_said(self, text: str) -> None:
        self.under.say(text)

    def _show(self, picture: QWidget) -> None:
        if self.pictures.currentWidget() is not picture:
            self.pictures.setCurrentWidget(picture)
        frame = picture is self.frame
        self._tools.setVisible(frame and not self._large)
        self._below.setVisible(frame)
        self.title.setVisible(frame)
        self.subtitle.setVisible(frame)

    def _say_why_empty(self) -> None:
        session, action = self._session, self.start
        if session.link is not LinkState.OPEN:
            starting = session.link is LinkState.STARTING
            self.note.say("Looking for the keeper…" if starting else "No keeper", session.link_words)
            action.hide()
        elif session.under_way:
            soon = "; ".join(f"{said} {when}" for said, when in coming(session)[:3])
            doing = session.status.doing if session.status else ""
            said = f"{doing[:1].upper()}{doing[1:]}. " if doing else ""
            self.note.say("No frame yet", f"{said}Coming: {soon}." if soon else said)
            action.hide()
        elif session.run == "over":
            self.note.say("The night is over", "No frame was taken.")
            action.hide()
        else:
            self.note.say(
                "No night under way",
                "Frames, focus runs and reasons appear here while one is. "
                f"Tonight's plan: {session.plan.plan.wanted} frames.",
            )
            action.setVisible(bool(session.plan.plan.blocks))

    def _forget(self) -> None:
        self._shown, self._wanted, self._problem = None, None, ""
        self.frame.clear()
        self.histogram.clear()
        self.strip.clear()

    def _load(self, light: Light) -> None:
        self._wanted, self._problem = light.path, ""
        self._jobs.run("last frame", lambda: load_for_view(light.path), self._loaded, self._not_loaded)

    def _loaded(self, loaded: Loaded) -> None:
        if loaded.path != self._wanted:
            return  # a night has begun since it was asked for
        self._shown = loaded.path
        kept = self._by_hand is not None and self._by_hand[0] == self._filter()
        stretch = self._by_hand[1] if kept and self._by_hand is not None else loaded.stretch
        self.frame.show_frame(loaded.pyramid, stretch)
        self.histogram.show_image(loaded.pyramid.image, stretch)
        camera = self._session.rig.camera
        self.overlay.full_scale_adu = camera.full_scale_adu if camera is not None else 65535.0
        self.overlay.show_path(loaded.path)
        if (light := self.strip.current()) is not None:
            self.strip.keep_thumb(light.frame_id, small_picture(loaded, stretch))
        self._choose_picture()
        self._show_figures()

    def _not_loaded(self, problem: Exception) -> None:
        self._shown, self._problem = None, str(problem)
        self._choose_picture()

    def _filter(self) -> str:
        light = self.strip.current()
        return str(light.values["filter"]) if light is not None else ""

    def _stretch_by_hand(self, stretch: Stretch) -> None:
        self._by_hand = (self._filter(), stretch)
        self.frame.set_stretch(stretch)

    def _auto_stretch(self) -> None:
        pyramid, self._by_hand = self.frame.pyramid, None
        if pyramid is not None:
            stretch: Stretch = auto_stretch(pyramid.image)
            self.frame.set_stretch(stretch)
            self.histogram.show_image(pyramid.image, stretch)

    def _blink(self, on: bool) -> None:
        """To and fro with the frame before it of the same line."""
        light = self.strip.current()
        if not on or light is None:
            self._blinking.stop()
            return
        lights = self.strip.lights
        before = [x for x in lights if x.at < light.at and x.values["line"] == light.values["line"]]
        if not before:
            self.under.say("there is no frame before this one to blink with")
            self.blink.setChecked(False)
            return
        self._blinking.begin(before[-1], light)

    def _no_verdict(self) -> str:
        """Why the frame that is looked at can't be rejected; empty when it can."""
        if not self._session.takes_wishes:
            return "no night is under way"
        return "" if self.strip.current() is not None else "no frame is shown"

    def _pause_focus(self) -> None:
        paused = self._session.record.state.refocusing_paused
        self._session.ask(Command.RESUME_FOCUS if paused else Command.PAUSE_FOCUS)

    def _show_wishes(self) -> None:
        session = self._session
        running = session.takes_wishes
        paused = session.record.state.refocusing_paused
        self.pause_focus.setText("Resume refocusing" if paused else "Pause refocusing")
        for tool in (self.refocus, self.pause_focus):
            tool.setVisible(running and session.rig.focuser is not None)
        self.after_frame.setVisible(running)
        self.agreed.setText(session.agreed if running else "")
        self.agreed.setVisible(running and bool(session.agreed))
        current = self.strip.current()
        rejected = current is not None and current.values.get("verdict") == "rejected"
        self.reject.setText("Keep" if rejected else "Reject")
        self.reject.setVisible(not self._no_verdict())

    def _show_figures(self) -> None:
        light = self.strip.current()
        if light is None or light.path != self._shown:
            return
        v = light.values
        self.title.say(
            ("Last night · " if self._session.past else "")
            + f"{v['target']} · {v['filter']} {words.exposure(v['exposure_s'])} · {v['number']} of {v['of']}"
        )
        cold = f"{words.signed(v['temperature_c'])} °C" if v.get("temperature_c") is not None else ""
        self.subtitle.say(
            " · ".join(x for x in (f"read out {words.clock(light.at, self._session.zone, True)}", cold) if x)
        )
        self.subtitle.setToolTip(str(light.path))
        if light.measured and v["hfr_px"]:
            scale = self._session.rig.scale_arcsec_px()
            figures = [f"HFR {v['hfr_px']:.2f} px"]
            if v.get("fwhm_px"):
                figures.append(f"FWHM {v['fwhm_px'] * scale:.1f}″")
            figures += [f"stars {words.grouped(v['stars'])}", f"elongation {v['elongation']:.2f}"]
            if v.get("guide_rms_arcsec") is not None:
                figures.append(f"guided {v['guide_rms_arcsec']:.2f}″")
            # a line may end between two of them only
            self.figures.setText("  ".join(figure.replace(" ", words.NO_BREAK) for figure in figures))
        elif light.measured:
            self.figures.setText("no stars found: cloud, cover, or far out of focus?")
        else:
            self.figures.setText("being measured…")

    # -- under the pointer --------------------------------------------------------------------------------

    def _point(self, under: Under | None) -> None:
        self._pointed = under
        if under is None:
            self._rest.stop()
            self.under.say("")
        else:
            self.under.say(f"x {under.column}  y {under.row}  {words.grouped(under.adu)} ADU")
            self._rest.start(_REST_MS)

    def _tell_under(self) -> None:
        """The pointer rests: is there a star?"""
        under, pyramid = self._pointed, self.frame.pyramid
        if under is None or pyramid is None:
            return
        # imported here: star detection takes its time to import, and nobody points at once
        from vigil.imaging.stars import hfr_near

        size_px = hfr_near(pyramid.image, under.column, under.row)
        if size_px is not None:
            said = f"x {under.column}  y {under.row}  {words.grouped(under.adu)} ADU"
            self.under.say(f"{said}  star HFR {size_px:.2f} px")

    def _status_changed(self) -> None:
        if self.isVisible():
            self._refresh_side()

    # -- the side -----------------------------------------------------------------------------------------

    def _refresh_side(self) -> None:
        session, status = self._session, self._session.status
        self._show_mood()
        state = session.tonight.state
        block = self._current_block()
        facts = [
            (
                f"{block.target.name} · {line.filter} {words.exposure(line.exposure_s)}",
                of_wanted(line, state.done(line.id)),
            )
            for line in (block.lines[:_MOST_LINES] if block else [])
        ]
        done, wanted = session.tonight.tally
        wanted = wanted or session.plan.plan.wanted
        if len(session.plan.plan.blocks) > 1:
            facts.append(("all together", f"{done} of {wanted}"))
        self.done.show_facts(facts)
        self.done_bar.show_share(done / wanted if wanted else 0.0)
        self.lost.setText(lost_words(session.tonight.spells.lost_s()))
        self.lost.setVisible(bool(self.lost.text()))
        self.next.show_facts(coming(session))
        self._show_wishes()
        self.conditions.show_checks(status.conditions if status else [])
        self.reasons.show_sentences(session.record.sentences)

    def _current_block(self) -> Block | None:
        """The one being exposed, else the next, else the last."""
        session = self._session
        blocks = session.plan.plan.blocks
        exposures = session.tonight.exposures
        here = exposures[-1].block if exposures else ""
        if not session.record.exposing and session.run != "over":
            ahead = next((s.block for s in session.plan_ahead().steps), "")
            here = ahead or here
        return next((b for b in blocks if b.id == here), blocks[0] if blocks else None)

    def _show_mood(self) -> None:
        """The one thing to read from across the room."""
        mood = mood_of(self._session)
        self.mood.setText(mood.name)
        self.mood_words.setText(mood.words)
        set_styled(self.mood, "role", mood.role if mood.role == "head" else f"head-{mood.role}")
        self.large.say(mood.name, "accent" if mood.role == "head" else mood.role)
        self.large_now.say(across_the_room(self._session) if mood.quiet else mood.words)


def _headed(section: str, *tools: QWidget) -> QWidget:
    """A section's head with what can be asked for there."""
    made = QWidget()
    layout = row(label(section, "section"), gap=0)
    layout.addStretch(1)
    for tool in tools:
        layout.addWidget(tool)
    layout.setContentsMargins(0, 0, 0, 0)
    made.setLayout(layout)
    return made
