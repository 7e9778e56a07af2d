"""Lights looked at and judged."""

from datetime import UTC, datetime
from pathlib import Path
from typing import Any, cast

from PyQt6.QtWidgets import QSplitter

from vigil.documents.messages import Command
from vigil.ledger.judged import Word, judge_by_hand
from vigil.ledger.reading import Sought, frames
from vigil.ui.actions import Action
from vigil.ui.ledger.desk import VERDICTS, Desk, Read, Room
from vigil.ui.ledger.frames import FramePicture, FrameRows, because_of, best_alike, title_of, tones_of
from vigil.ui.ledger.tools import FrameTools

_MOST_FRAMES, _MOST_PICTURES = 5000, 12
_FIGURES = (
    ("star size", "fwhm_px", "{:.2f} px"), ("stars", "stars", "{:.0f}"),
    ("elongation", "elongation", "{:.2f}"),
    ("background", "background_adu", "{:.0f} ADU"), ("guiding", "guide_rms_arcsec", "{:.2f}″ rms"),
    ("air mass", "air_mass", "{:.2f}"), ("off its target", "off_arcsec", "{:.1f}″"),
)  # fmt: skip


class VerdictDesk(Desk):
    """The chosen light large, the list under it."""

    def __init__(self, room: Room) -> None:
        super().__init__(room)
        self.light, self.rows = FramePicture(), FrameRows()
        self.picture = split = QSplitter()
        split.setOrientation(split.orientation().Vertical)
        split.addWidget(self.light)
        split.addWidget(self.rows)
        split.setSizes([330, 240])
        split.setChildrenCollapsible(False)
        self.tools = tools = FrameTools(self._set_limit, room.complain)
        self._tones: dict[str, Any] = {}
        """By path: what is shown, or why there is nothing."""
        self._blinked: dict[str, Any] | None = None
        for choice in (tools.standing, tools.whose):
            choice.activated.connect(lambda _: self.read_frames())
        self.rows.chosen.connect(lambda _: self._frame_chosen())
        self.rows.judged.connect(self.judge)
        self.rows.blinked.connect(self._blink)
        for made, word in ((tools.keep, "kept"), (tools.reject, "rejected"), (tools.undo, "undecided")):
            made.clicked.connect(lambda _, w=word: self._judge_chosen(w))
        tools.blink.clicked.connect(self._blink)

    def look(self, read: Read) -> None:
        self.read_frames()

    def begin(self) -> None:
        """The doubtful ones, the keyboard on them."""
        self.tools.standing.setCurrentText("doubtful")
        self._room.go_to(VERDICTS)
        self.rows.setFocus()

    def show_night(self, night: str) -> None:
        """A night's lights, whatever their verdicts."""
        self.tools.standing.setCurrentText("all lights")
        self.tools.whose.setCurrentIndex(0)
        self._room.go_to(VERDICTS)
        self._ask(Sought(errand=night), -1)

    def read_frames(self) -> None:
        """As the two choices say."""
        project = self._room.edits.named(self.tools.whose.currentText())
        word = self.tools.standing.currentText()
        standing = "" if word.startswith("all") else word
        names = tuple(project.frame_names) if project is not None else ()
        self._ask(Sought(targets=names, standing=standing), _MOST_FRAMES)

    def _ask(self, sought: Sought, most: int) -> None:
        ledger = self._room.ledger
        self._room.jobs.run(
            "frames", lambda: frames(ledger, sought, most), self._show_frames, self._room.unread
        )

    def _show_frames(self, found: list[dict[str, Any]]) -> None:
        word = self.tools.standing.currentText()
        nothing = "No lights yet: after a night they are here."
        said = nothing if word.startswith("all") else f"No {word} lights."
        self.rows.show_frames(found, self._room.session.zone, said)
        self._frame_chosen()

    # -- the picture ------------------------------------------------------------------------------------

    def _frame_chosen(self) -> None:
        self._blinked = None
        self._show_light()

    def _show_light(self) -> None:
        """The chosen frame, or the one it is blinked against: off the disk when it isn't at hand."""
        frame = self._blinked or self.rows.frame
        if frame is None:
            self.light.show_tones(None, "", "")
            self._room.refresh()
            return
        title = title_of(frame, self._room.session.zone)
        if self._blinked is not None:
            title = f"Blinked against {title}"
        said = f"{frame['standing']}{' by you' if frame['verdict'] else ''}{because_of(frame)}"
        role = {"kept": "soft", "doubtful": "warn", "rejected": "fault"}[frame["standing"]]
        path = str(frame["path"])
        kept = self._tones.get(path)
        if isinstance(kept, str):
            self.light.show_tones(None, title, f"{said} ({kept})", role)
        else:
            self.light.show_tones(kept, title, said, role)
        if kept is None:
            self._room.jobs.run(
                "frame picture",
                lambda: (path, tones_of(Path(path))),
                self._keep_tones,
                lambda problem: self._keep_tones((path, str(problem).removeprefix(f"{path}: "))),
            )
        self._room.refresh()

    def _keep_tones(self, found: tuple[str, Any]) -> None:
        if len(self._tones) >= _MOST_PICTURES:
            self._tones.pop(next(iter(self._tones)))
        self._tones[found[0]] = found[1]
        shown = self._blinked or self.rows.frame
        if shown is not None and str(shown["path"]) == found[0]:
            self._show_light()

    def _blink(self) -> None:
        frame, ledger = self.rows.frame, self._room.ledger
        if frame is None:
            return
        if self._blinked is not None:
            self._frame_chosen()
            return
        through = frame["filter"] or ""
        sought = Sought(rig=frame["rig"], targets=(frame["target"],), filter=through, standing="kept")

        def show(others: list[dict[str, Any]]) -> None:
            self._blinked = best_alike(frame, others)
            if self._blinked is None:
                self._room.complain("there is no kept light of its series to blink against")
            self._show_light()

        self._room.jobs.run("alike", lambda: frames(ledger, sought), show, self._room.unread)

    # -- judging ----------------------------------------------------------------------------------------

    def _judge_chosen(self, word: str) -> None:
        if (frame := self.rows.frame) is not None:
            self.judge(frame["frame_id"], word)

    def judge(self, frame_id: str, word: str) -> None:
        """On record at once; a night that goes on is told by its keeper."""
        session, ledger = self._room.session, self._room.ledger
        frame = next((f for f in self.rows.frames if f["frame_id"] == frame_id), None)
        status = session.status
        if frame is not None and session.under_way and status is not None and status.night == frame["errand"]:
            session.ask(Command.JUDGE, frame=frame_id, verdict=word)
            return
        now = datetime.now(UTC)

        def done(_: None) -> None:
            self._room.say(f"{frame_id}: {'as Vigil judges' if word == 'undecided' else word + ' by you'}.")
            self._room.read()

        self._room.jobs.run(
            "judging",
            lambda: judge_by_hand(ledger, [frame_id], cast(Word, word), now),
            done,
            lambda problem: self._room.complain(str(problem)),
        )

    def _set_limit(self, key: str, text: str) -> None:
        project = self._room.edits.named(self.tools.whose.currentText())
        if project is not None:
            self._room.edits.set(project, key, text, self._room.session.moments.now)

    def show(self, read: Read | None) -> None:
        if read is not None:
            self.tools.show_projects([p.project.name for p in read.progress])
        self.tools.show_limits(self._room.edits.named(self.tools.whose.currentText()))
        frame = self.rows.frame or {}
        known = [
            (name, shape.format(frame[key])) for name, key, shape in _FIGURES if frame.get(key) is not None
        ]
        self.tools.facts.show_facts(known)
        for made in (self.tools.keep, self.tools.reject, self.tools.undo, self.tools.blink):
            made.setEnabled(bool(frame))

    def actions(self) -> list[Action]:
        return [Action("Judge the doubtful lights", self.begin)]
