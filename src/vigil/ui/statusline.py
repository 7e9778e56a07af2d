"""The status line: lamps, what goes on, what comes next, hold, end, red light."""

from datetime import datetime, timedelta

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QToolButton, QWidget

from vigil.documents.devicekinds import DEVICE_KINDS, names_of
from vigil.documents.errands import GUARD
from vigil.ui import words
from vigil.ui.linkstate import LinkState
from vigil.ui.picture import RIGHT
from vigil.ui.pieces import Lamp, OneLine, ProgressBar, button, label
from vigil.ui.session import Countdown, Session
from vigil.ui.theme import Light, Size, theme

SPEEDS = (1.0, 10.0, 60.0, 300.0)
_OTHERS = "others"
_QUIET = ("not connected", "busy", "ready")
"""States in which a device beside the train needs no lamp of its own."""
_BEFORE = {GUARD: "guard: "}
_RUN_WORDS = {
    "ready": "No night under way",
    "held": "Holding",
    "closing": "Closing the night",
    "over": "The night is over",
}


def _short(name: str) -> str:
    kind = DEVICE_KINDS.get(name)
    return kind.short if kind is not None and kind.short else name


class RedSwitch(QToolButton):
    """A disc: filled while red light is on."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "plain")
        self.setFixedSize(30, Size.STATUS - 4)
        self.setToolTip("Red light  Ctrl+R")
        self.setAccessibleName("Red light")
        self.setCheckable(True)
        self.clicked.connect(self._switch)
        theme.changed.connect(self._follow)
        self._follow()

    def _switch(self) -> None:
        theme.set_light(Light.DARK if theme.red else Light.RED)

    def _follow(self) -> None:
        self.setChecked(theme.red)
        self.update()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        centre = QPointF(self.rect().center())
        painter.setPen(theme.pen("focus" if self.hasFocus() else "fault", 1.6))
        painter.setBrush(theme.colour("fault") if theme.red else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(centre, 6, 6)
        if not theme.red:
            painter.setBrush(theme.colour("fault"))
            painter.drawPie(QRectF(centre.x() - 6, centre.y() - 6, 12, 12), 90 * 16, 180 * 16)


class PaceRow(QWidget):
    """How fast simulated time runs, marked as simulated."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.buttons: dict[float, QPushButton] = {}
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(0)
        self.sky = button("simulated", "plain", "Play with the simulated sky: seeing, clouds, faults", "F7")
        self.sky.setAccessibleName("The simulated sky")
        self.sky.setCheckable(True)
        self.sky.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        layout.addWidget(self.sky)
        layout.addSpacing(2)
        for speed in SPEEDS:
            made = button(
                f"{words.TIMES}{speed:g}", "plain", f"A simulated night at {speed:g} times real time"
            )
            made.setCheckable(True)
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            made.clicked.connect(lambda _=False, s=speed: self._choose(s))
            self.buttons[speed] = made
            layout.addWidget(made)
        self.jump = button("jump", "plain", "Jump ahead to the next event", "Ctrl+J")
        self.jump.setAccessibleName("Jump ahead to the next event")
        self.jump.clicked.connect(session.jump_ahead)
        layout.addWidget(self.jump)
        session.status_changed.connect(self.refresh)
        session.link_changed.connect(self.refresh)
        session.night_changed.connect(self.refresh)
        self.refresh()

    def _choose(self, speed: float) -> None:
        self._session.set_speed(speed)
        self.refresh()

    def refresh(self) -> None:
        status = self._session.status
        scaled = status is not None and status.clock == "scaled"
        self.setVisible(self._session.simulated)
        for speed, made in self.buttons.items():
            made.setEnabled(scaled)
            made.setChecked(scaled and status is not None and status.speed == speed)
        self.jump.setEnabled(scaled and self._session.under_way)


ALARM_LASTS = timedelta(minutes=10)


class StatusLine(QWidget):
    """One line across the bottom."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.setFixedHeight(Size.STATUS)
        self.lamps: dict[str, Lamp] = {}
        self._lamp_row = QHBoxLayout()
        self._lamp_row.setSpacing(8)
        self.others = Lamp(_OTHERS)
        self._lamp_row.addWidget(self.others)
        self.others.hide()
        self.activity = OneLine(strong=True)
        self.progress = ProgressBar()
        self.progress.setFixedWidth(60)
        self.far = label("", "number")
        self.errand = OneLine("accent")
        self.stop_errand = button("Stop it", "small", "Stop what is under way by hand or on a bench")
        self.next_words = OneLine("soft", align=RIGHT)
        self.countdown: QLabel = label("", "number")
        self.hold = button("Hold", "small", "Wait, safe, after what is under way", "Ctrl+H")
        self.end = button("End night", "small", "Park, warm up, disconnect", "Ctrl+E")
        self.stop = button("Stop", "small", "Everything stands still at once; a night is held", "Ctrl+.")
        self.red = RedSwitch()
        for made in (self.hold, self.end, self.stop, self.stop_errand):
            made.setFixedHeight(Size.STATUS - 5)
        layout = QHBoxLayout(self)
        layout.setContentsMargins(Size.MARGIN - 4, 1, Size.GAP, 0)
        layout.setSpacing(8)
        layout.addLayout(self._lamp_row)
        layout.addSpacing(8)
        layout.addWidget(self.activity, 5)
        layout.addWidget(self.progress)
        layout.addWidget(self.far)
        layout.addWidget(self.errand, 4)
        layout.addWidget(self.stop_errand)
        layout.addSpacing(4)
        layout.addWidget(self.next_words, 3)
        layout.addWidget(self.countdown)
        layout.addWidget(self.hold)
        layout.addWidget(self.end)
        layout.addWidget(self.stop)
        layout.addWidget(self.red)
        self.hold.clicked.connect(self._hold_or_resume)
        self.stop.clicked.connect(session.stop_everything)
        self.stop_errand.clicked.connect(self.stop_last_errand)
        for signal in (
            session.night_changed,
            session.status_changed,
            session.live_changed,
            session.errands_changed,
            session.link_changed,
            session.moments.now_changed,
        ):
            signal.connect(self.refresh)
        theme.changed.connect(self.update)
        self.refresh()

    def paintEvent(self, event: object) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), theme.colour("ink"))
        painter.setPen(theme.pen("line"))
        painter.drawLine(0, 0, self.width(), 0)

    def _hold_or_resume(self) -> None:
        if self.hold.text() == "Resume":
            self._session.resume()
        else:
            self._session.hold()

    def enlarge(self, large: bool) -> None:
        """For the full-screen view: text to read, and buttons to touch, at the mount."""
        height = Size.TOUCH + 8 if large else Size.STATUS
        self.setFixedHeight(height)
        for made in (self.hold, self.end, self.stop, self.stop_errand):
            made.setFixedHeight(Size.TOUCH if large else Size.STATUS - 5)
        self.red.setFixedSize(Size.TOUCH if large else 30, Size.TOUCH if large else Size.STATUS - 4)
        self.activity.enlarge(Size.LARGE if large else Size.BODY)
        self.next_words.enlarge(Size.HEAD if large else Size.BODY)

    def refresh(self) -> None:
        session = self._session
        self._show_lamps()
        self._show_errands()
        words_now, role = self._activity()
        promise = session.promise if session.link is LinkState.OPEN else ""
        self.activity.say(f"{promise[:1].upper()}{promise[1:]}" or words_now, "warn" if promise else role)
        self._show_progress()
        live = session.link is LinkState.OPEN
        following = session.next_event() if live else Countdown("", None)
        self.next_words.say(following.words)
        self.countdown.setText(f"in {words.countdown(following.at, session.now)}" if following.at else "")
        if following.at:
            self.countdown.setToolTip(words.both_clocks(following.at, session.zone))
        stopped = session.status is not None and session.status.stopped_until is not None
        self.hold.setText("Resume" if session.run == "held" or session.promise or stopped else "Hold")
        self.hold.setEnabled(live and (stopped or session.takes_wishes))
        self.end.setEnabled(live and session.takes_wishes)
        self.stop.setEnabled(live)

    def _show_lamps(self) -> None:
        reports = self._session.reports
        states = {name: report.lamp for name, report in reports.items()}
        if not reports:
            states = (
                self._session.status.devices if self._session.status else dict.fromkeys(self.lamps, "unknown")
            )
        shown = {name: states[name] for name in names_of(lambda kind: kind.lamp_always) if name in states}
        rest = {name: state for name, state in states.items() if name not in shown}
        shown |= {name: state for name, state in rest.items() if state not in _QUIET}
        quiet = {name: state for name, state in rest.items() if name not in shown}
        for name in [name for name in self.lamps if name not in (*shown, _OTHERS)]:
            gone = self.lamps.pop(name)
            self._lamp_row.removeWidget(gone)
            gone.hide()
            gone.deleteLater()
        for name, state in shown.items():
            if name not in self.lamps:
                self.lamps[name] = Lamp(_short(name))
                self._lamp_row.insertWidget(len(self.lamps) - 1, self.lamps[name])
            self.lamps[name].show_state(state)
        self.others.setVisible(bool(quiet))
        if quiet:
            # of several the one that is least ready speaks for all
            self.others.show_state(next(state for state in _QUIET if state in quiet.values()))
            self.others.setToolTip("\n".join(f"{name}: {state}" for name, state in quiet.items()))

    def stop_last_errand(self) -> None:
        """The one that was begun last: the others are in their turn then."""
        running = self._session.errands_under_way
        if running:
            self._session.stop_errand(running[-1].errand)

    def _show_errands(self) -> None:
        """What is under way beside a night; a guard's own work is not a person's to stop."""
        running = self._session.errands_under_way if self._session.link is LinkState.OPEN else []
        self.errand.setVisible(bool(running))
        self.stop_errand.setVisible(bool(running) and running[-1].kind != GUARD)
        if running:
            last = running[-1]
            more = f", and {len(running) - 1} more" if len(running) > 1 else ""
            self.errand.say(f"{_BEFORE.get(last.kind, '')}{last.words}{more}")
            self.stop_errand.setToolTip(f"Stop: {last.words}")
            self.stop_errand.setAccessibleName(f"Stop: {last.words}")

    def _activity(self) -> tuple[str, str]:
        session = self._session
        if session.link is LinkState.STARTING:
            return "Looking for the keeper…", "soft"
        if session.link is not LinkState.OPEN:
            return "No keeper: nothing looks after the rig", "fault"
        status = session.status
        if status is not None and status.stopped_until is not None:
            return "Everything stands still", "fault"
        alarm = status.alarm if status is not None and session.run in ("ready", "over") else None
        if alarm is not None and session.now - alarm.at < ALARM_LASTS:
            return f"Guard: {alarm.words.partition(':')[0]}", "fault"
        if session.run == "held":
            return f"Holding: {session.record.state.hold}", "warn"
        if session.record.exposing is not None:
            return f"Exposing {session.record.exposing.words}", "text"
        doing = session.status.doing if session.status else ""
        if session.run == "running" and doing:
            if doing == "waiting":
                return "Waiting" + self._until(), "text"
            return doing[:1].upper() + doing[1:], "text"
        return _RUN_WORDS.get(session.run, ""), "soft"

    def _until(self) -> str:
        waiting = self._session.record.state.waiting
        if waiting is None:
            return ""
        if "until" not in waiting.values:
            return f": {waiting.reason}"
        return f" until {words.clock(datetime.fromisoformat(waiting.values['until']), self._session.zone)}"

    def _show_progress(self) -> None:
        session = self._session
        share: float | None = 0.0
        far = ""
        live, exposing = session.live, session.record.exposing
        if exposing is not None and session.link is LinkState.OPEN:
            whole = (exposing.expected_end - exposing.begins).total_seconds()
            done = min(whole, max(0.0, (session.now - exposing.begins).total_seconds()))
            share, far = done / whole if whole else 0.0, f"{words.duration(done)} of {words.duration(whole)}"
        elif live is not None and session.under_way:
            reach = live.target - live.initial
            share = (live.current - live.initial) / reach if reach else 0.0
            far = f"{words.signed(live.current, 1)} {live.unit}" if live.unit in ("°C", "°") else ""
            far = far or f"{live.current:.0f} of {live.target:.0f} {live.unit}"
        self.progress.setVisible(bool(far))
        self.progress.show_share(share)
        self.far.setText(far)
