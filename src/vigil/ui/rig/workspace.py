"""Rig: the train, what stands beside it, what follows, what is wrong; each part edited and worked by hand."""

import shutil
from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QStackedWidget, QVBoxLayout, QWidget

from vigil.documents.deeds import Deed, Stage
from vigil.documents.devicekinds import name_of_part
from vigil.documents.hand import ALL
from vigil.documents.rig.change import part_name
from vigil.planning.muster import Finding, Known, muster
from vigil.planning.rignumbers import SEEING_ARCSEC, rig_numbers
from vigil.ui.actions import Action
from vigil.ui.fields import ValueField, number
from vigil.ui.image.loading import Loaded, load_for_view
from vigil.ui.image.overlay import FrameOverlay
from vigil.ui.image.view import FrameView
from vigil.ui.jobs import Jobs
from vigil.ui.linkstate import LinkState
from vigil.ui.musterlist import MusterList
from vigil.ui.pieces import Choice, OneLine, button, label, row, wrapped
from vigil.ui.rig.cards import Cards
from vigil.ui.rig.commands import device_commands
from vigil.ui.rig.compare import Compare
from vigil.ui.rig.editor import Editor
from vigil.ui.rig.hand import ByHand
from vigil.ui.rig.horizonedit import HorizonPage
from vigil.ui.rig.newparts import new_part
from vigil.ui.rig.numbers import Numbers
from vigil.ui.rig.parts import ALWAYS, IN_THE_TRAIN, ShownPart, missing_parts, parts_of, state_words
from vigil.ui.rig.shelfrow import RigsRow
from vigil.ui.rig.train import Train
from vigil.ui.session import Session
from vigil.ui.workspace import Edited, Workspace, page, scrolled, side

_GREEN = "green light"
Ask = Callable[[str, str, list[tuple[str, str, Callable[[], None]]]], None]
"""How leave is asked for something that loses something: title, words, answers."""


class RigWorkspace(Workspace):
    """Chosen part in the inspector; in the middle the train, or the horizon, a comparison, a frame."""

    def __init__(self, session: Session, jobs: Jobs, ask: Ask) -> None:
        super().__init__("Rig")
        self.least_main = 700
        self._session, self._jobs, self._ask = session, jobs, ask
        self._current = "telescope"
        self._seeing_arcsec = SEEING_ARCSEC
        self._free_bytes = shutil.disk_usage(Path.home()).free
        self._make_middle()
        self._make_inspector()
        self.build(self._middle(), self._side())
        self.first = self.train
        self._connect()
        self.show_anew()

    # -- building -------------------------------------------------------------------------------------

    def _make_middle(self) -> None:
        session = self._session
        self.about, self.waits = OneLine("soft"), OneLine("warn")
        self.rigs = RigsRow(session)
        self.train, self.cards = Train(), Cards()
        self.connect_all = button("Connect all", "small", "Every device, all at once")
        self.ready = button("Connect and cool", "small", "Every device; cooling begins with the camera")
        self.disconnect_all = button("Disconnect all", "small", "Every device")
        self.add = Choice()
        self.add.setAccessibleName("Add a part")
        self.told = OneLine("soft")
        self.numbers = Numbers()
        self.seeing = ValueField(
            "Seeing in arc-seconds", self._set_seeing, lambda said: self.told.say(said, "fault")
        )
        self.seeing.setFixedWidth(52)
        self.through = Choice()
        self.through.setAccessibleName("Critical focus zone for")
        self.muster = MusterList()
        self.horizon = HorizonPage(session)
        self.compare = Compare()
        self.frame, self.frame_words = FrameView(), OneLine("text")
        self.frame_done = button("Back to the rig", "", "Leave the frame", "Esc")

    def _middle(self) -> QWidget:
        connecting = row(label("Other devices", "section"), gap=8)
        connecting.addStretch(1)
        for widget in (self.told, self.add, self.connect_all, self.ready, self.disconnect_all):
            connecting.addWidget(widget)
        connecting.setStretch(2, 4)
        follows = row(label("Figures of this rig", "section"), gap=6)
        follows.addStretch(1)
        for widget in (label("seeing", "small"), self.seeing, label("″", "small"), self.through):
            follows.addWidget(widget)
        inner = QWidget()
        beneath = QVBoxLayout(inner)
        beneath.setContentsMargins(0, 0, 0, 0)
        beneath.setSpacing(4)
        beneath.addWidget(self.train)
        beneath.addLayout(connecting)
        beneath.addWidget(self.cards)
        beneath.addLayout(follows)
        beneath.addWidget(self.numbers)
        beneath.addWidget(label("Muster", "section"))
        beneath.addWidget(self.muster)
        beneath.addStretch(1)
        self._numbers_page = scrolled(inner)
        frame_page = QWidget()
        frame_layout = QVBoxLayout(frame_page)
        frame_layout.setContentsMargins(0, 0, 0, 0)
        self.overlay = FrameOverlay(self.frame, self._jobs, self.frame_words.say, "overlay by hand")
        head = row(self.frame_words, self.overlay.names, self.overlay.residuals, self.frame_done)
        head.setStretch(0, 1)
        frame_layout.addLayout(head)
        frame_layout.addWidget(self.frame, 1)
        self.pages = QStackedWidget()
        for widget in (self._numbers_page, self.horizon, self.compare, frame_page):
            self.pages.addWidget(widget)
        self._frame_page = frame_page
        made = page(self.rigs, self.about, self.waits, self.pages, gap=4)
        layout = made.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretch(layout.count() - 1, 1)
        return made

    def _make_inspector(self) -> None:
        self.part_title, self.part_name = label("", "head"), wrapped()
        self.lamp = label("", "small")
        self.hand = ByHand(self._session)
        self.hand_label = label("By hand", "section")
        self.editor = Editor(self._session.edits)
        self.remove = button("Remove this part", "plain", "The rig without it; Ctrl+Z undoes that")
        self.to_train = button("Back to the train", "small", "Leave the horizon", "Esc")

    def _side(self) -> QWidget:
        inner = QWidget()
        layout = QVBoxLayout(inner)
        layout.setContentsMargins(0, 0, 6, 0)
        layout.setSpacing(6)
        for widget in (
            self.hand_label,
            self.hand,
            label("Settings", "section"),
            self.editor,
            self.remove,
        ):
            layout.addWidget(widget)
        layout.addStretch(1)
        area = scrolled(inner)
        made = side(self.part_title, self.part_name, self.lamp, self.to_train, area, stretch=False)
        side_layout = made.layout()
        assert isinstance(side_layout, QVBoxLayout)
        side_layout.setStretch(side_layout.count() - 1, 1)
        self._area = area
        return made

    def _connect(self) -> None:
        session = self._session
        self.train.chosen.connect(self.choose)
        self.cards.chosen.connect(self.choose)
        self.add.activated.connect(self._add_part)
        self.connect_all.clicked.connect(lambda: session.device(ALL, "connect"))
        self.ready.clicked.connect(lambda: session.device(ALL, "ready"))
        self.disconnect_all.clicked.connect(lambda: session.device(ALL, "disconnect"))
        self.through.activated.connect(lambda _: self._show_numbers())
        self.muster.wanted.connect(self.go_to_finding)
        self.muster.remedied.connect(self.remedy)
        self.remove.clicked.connect(self._remove_part)
        self.hand.rebuilt.connect(self._order_tabs)
        self.editor.rebuilt.connect(self._order_tabs)
        self.to_train.clicked.connect(lambda: self.choose("telescope"))
        self.rigs.compare.connect(self.show_comparison)
        self.rigs.delete.connect(self._ask_delete)
        self.compare.done.clicked.connect(self._leave_page)
        self.frame_done.clicked.connect(self._leave_page)
        self.hand.framed.connect(self._load_frame)
        session.deed_told.connect(self._tell_deed)
        session.rig_changed.connect(self._rig_changed)
        for signal in (
            session.devices_changed,
            session.status_changed,
            session.link_changed,
            session.plan.changed,
        ):
            signal.connect(self.refresh)

    def edited(self) -> Edited:
        return self._session.edits

    def actions_here(self) -> list[Action]:
        session = self._session

        def no_keeper() -> str:
            return "" if session.link is LinkState.OPEN else "no keeper answers"

        return [
            Action("Connect all devices", lambda: session.device(ALL, "connect"), "Ctrl+Shift+C", no_keeper),
            Action("Connect all and cool", lambda: session.device(ALL, "ready"), "", no_keeper),
            Action("Disconnect all devices", lambda: session.device(ALL, "disconnect"), "", no_keeper),
            Action("Compare two rigs", self.show_comparison),
            *device_commands(session, self._work),
        ]

    def _work(self, part: str, action: str) -> None:
        """Ask something of a device where its answer can be read."""
        self.choose(part)
        self.hand.do(action)

    # -- choosing -------------------------------------------------------------------------------------

    def choose(self, key: str) -> None:
        """Show a part in the inspector, the site with its horizon in the middle."""
        self._current = key
        self.pages.setCurrentWidget(self.horizon if key == "site" else self._numbers_page)
        self.refresh()
        self._area.verticalScrollBar().setValue(0)  # type: ignore[union-attr]

    def _order_tabs(self) -> None:
        """What is built anew would come last of all with Tab."""
        inner = [*self.hand.findChildren(QWidget), *self.editor.findChildren(QWidget)]
        tabbed = [w for w in inner if w.focusPolicy() & Qt.FocusPolicy.TabFocus]
        within = [w for w in tabbed if w.window() is self.window()]
        for one, following in pairwise([self.to_train, *within, self.remove]):
            QWidget.setTabOrder(one, following)

    @property
    def current(self) -> str:
        return self._current

    def go_to_finding(self, finding: Finding) -> None:
        """The part, and the field in it where there is one."""
        key = str(finding.path[0])
        if getattr(self._session.rig, key) is None:
            self.add.setFocus()  # what is missing is added there
            return
        self.choose(key)
        if self.editor.go_to(finding.path):
            self._area.ensureWidgetVisible(self.editor.rows[finding.path])
        elif name_of_part(key) and "connect" in self.hand.controls:
            self.hand.controls["connect"].setFocus()

    def remedy(self, finding: Finding) -> None:
        """Do what is offered: connect, or take the value over."""
        offered = finding.remedy
        if offered is None:
            return
        if offered.device:
            self._session.device(offered.device, "connect")
            return
        try:
            self._session.edits.edit(finding.path, offered.value)
        except ValueError as problem:
            self.told.say(str(problem), "fault")

    def show_comparison(self) -> None:
        rigs = self._session.rigs
        others = [e.rig for e in rigs.entries() if e.rig and e.id != self._session.rig.id] if rigs else []
        self.compare.show_rigs(self._session.rig, others)
        self.pages.setCurrentWidget(self.compare)

    def _leave_page(self) -> None:
        self.pages.setCurrentWidget(self.horizon if self._current == "site" else self._numbers_page)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.pages.currentIndex() > 0:
            if self.pages.currentWidget() is self.horizon:
                self.choose("telescope")
            else:
                self._leave_page()
            return
        super().keyPressEvent(event)

    # -- parts ----------------------------------------------------------------------------------------

    def _add_part(self, index: int) -> None:
        if index == 0:
            return
        key = missing_parts(self._session.rig)[index - 1]
        self._session.edits.edit_all({(key,): new_part(key)}, f"adding the {part_name(key)}")
        self.choose(key)

    def _remove_part(self) -> None:
        key = self._current
        self._session.edits.without(key)
        left = parts_of(self._session.rig)
        self.choose(left[0].key)

    def _ask_delete(self, lost: str, then: Callable[[], None]) -> None:
        rig = self._session.rig
        answers: list[tuple[str, str, Callable[[], None]]] = [
            ("Keep it", "", lambda: None),
            ("Delete", "fault", then),
        ]
        self._ask(f"Delete {rig.name}?", lost, answers)

    def _set_seeing(self, text: str) -> None:
        self._seeing_arcsec = number(text.replace("″", ""), "seeing", 0.2, 15.0)
        self._show_numbers()

    # -- showing --------------------------------------------------------------------------------------

    def _rig_changed(self) -> None:
        self.hand.rebuild()
        self.horizon.refresh()
        if self.rigs.choice.currentText() != self._session.rig.name:  # renamed, or an example until now
            self.rigs.refresh()
        self.refresh()

    def show_anew(self) -> None:
        session = self._session
        rig, parts = session.rig, parts_of(session.rig)
        if self._current not in [part.key for part in parts]:
            self._current = parts[0].key
        lamps = {p.key: self._lamp(p) for p in parts if p.device}
        states = {
            p.key: state_words(r, rig) for p in parts if (r := session.reports.get(p.device)) is not None
        }
        names = [p.name for p in (rig.telescope, rig.camera, rig.mount) if p is not None]
        self.about.say(" · ".join(names) or "No parts yet: add a telescope, a camera and a mount")
        self._show_waits()
        self.train.show_rig(rig, parts, states)
        self.train.choose(self._current)
        self.cards.show_parts([p for p in parts if p.key not in IN_THE_TRAIN], lamps, states)
        self.cards.choose(self._current)
        self._show_part(next(p for p in parts if p.key == self._current), lamps)
        missing = missing_parts(rig)
        wanted = ["Add a part …", *(part_name(key) for key in missing)]
        if wanted != [self.add.itemText(i) for i in range(self.add.count())]:
            self.add.clear()
            self.add.addItems(wanted)
        self.add.setEnabled(bool(missing))
        self._show_through()
        self._show_numbers()
        self._show_muster()
        self._show_connecting()

    def _show_connecting(self) -> None:
        session = self._session
        reachable = session.link is LinkState.OPEN and session.run not in ("running", "closing")
        on = [r.lamp in ("ready", "busy") for r in session.reports.values()]
        self.connect_all.setEnabled(reachable and not all(on))
        self.ready.setEnabled(reachable and not all(on))
        self.ready.setVisible(session.rig.camera is not None and session.rig.camera.cooler is not None)
        self.disconnect_all.setEnabled(reachable and any(on))

    def _show_waits(self) -> None:
        """What of the last change is not in force, and why; or that it can't be saved."""
        session = self._session
        said = session.edits.save_problem
        if not said and session.under_way and session.rig_words:
            said = f"Takes effect {session.rig_words}" if session.rig_words != "nothing changed" else ""
        self.waits.say(said, "warn")
        self.waits.setVisible(bool(said))

    def _show_part(self, part: ShownPart, lamps: dict[str, str]) -> None:
        self.part_title.setText(part.title[:1].upper() + part.title[1:])
        self.part_name.setText(part.name)
        self.part_name.setVisible(bool(part.name))
        lamp, report = lamps.get(part.key, ""), self._session.reports.get(part.device)
        self.lamp.setText(
            " · ".join(x for x in (lamp, state_words(report, self._session.rig) if report else "") if x)
        )
        self.lamp.setVisible(bool(lamp))
        for widget in (self.hand_label, self.hand):
            widget.setVisible(bool(part.device))
        self.hand.show_device(part.device)
        self.editor.show_part(part.key, self._session.deferred)
        self.remove.setVisible(part.key not in ALWAYS)
        self.to_train.setVisible(part.key == "site")

    def _lamp(self, part: ShownPart) -> str:
        if self._session.link is not LinkState.OPEN:
            return "no keeper"
        report = self._session.reports.get(part.device)
        return report.lamp if report is not None else "not connected"

    def _show_through(self) -> None:
        wanted = [_GREEN, *self._session.rig.filter_names]
        if wanted != [self.through.itemText(i) for i in range(self.through.count())]:
            self.through.clear()
            self.through.addItems(wanted)

    def _show_numbers(self) -> None:
        self.seeing.show_value(f"{self._seeing_arcsec:g}")
        through = self.through.currentText()
        self.numbers.show_numbers(
            rig_numbers(self._session.rig, self._seeing_arcsec, self._free_bytes, through)
        )

    def findings(self) -> list[Finding]:
        """Muster, with the plan's own contradictions after it."""
        session = self._session
        known = Known(
            at=session.now,
            free_bytes=self._free_bytes,
            longest_exposure_s=session.plan.plan.longest_exposure_s,
            reports=list(session.reports.values()),
        )
        return muster(session.rig, known)

    def _show_muster(self) -> None:
        found = self.findings()
        in_plan = self._session.plan.contradictions()
        found += [Finding(("telescope",), f"Tonight's plan: {words}", doubt=True) for words in in_plan]
        self.muster.show_findings(
            found, "Nothing is wrong with this rig, and nothing contradicts tonight's plan."
        )

    def _tell_deed(self, deed: Deed) -> None:
        if deed.device == ALL:
            self.told.say(deed.reason, "fault" if deed.stage is Stage.FAILED else "soft")

    # -- frames by hand -------------------------------------------------------------------------------

    def _load_frame(self, path: str, words: str) -> None:
        self._jobs.run(
            "hand frame",
            lambda: load_for_view(Path(path)),
            lambda loaded: self._show_frame(loaded, words),
            lambda problem: self.told.say(str(problem), "fault"),
        )

    def _show_frame(self, loaded: Loaded, words: str) -> None:
        self.frame.show_frame(loaded.pyramid, loaded.stretch)
        self.overlay.show_path(loaded.path)
        self.frame_words.say(words)
        self.pages.setCurrentWidget(self._frame_page)
