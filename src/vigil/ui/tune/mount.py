"""The mount's bench: how it stands, what limits it, and the flip tried by day."""

from datetime import datetime, timedelta

from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from vigil.planning.flip import rule_for
from vigil.planning.mountpose import (
    FROM_EAST,
    Frame,
    Pose,
    along_pole,
    countdowns,
    place_before_flip,
    pose_at,
    side_words,
)
from vigil.ui import words
from vigil.ui.fields import ValueField, number
from vigil.ui.pieces import Facts, Note, OneLine, button, label, row, wrapped
from vigil.ui.session import Session
from vigil.ui.theme import Size
from vigil.ui.tune.mountview import MountView
from vigil.ui.workspace import Workspace, page, side

_AFTER_FLIP_MIN = 1.0
_MOST_BEFORE_MIN = 180.0


class MountBench(Workspace):
    """How the mount stands, seen from two sides; what is coming; slewing to try the flip."""

    def __init__(self, session: Session) -> None:
        super().__init__("Mount")
        self._session = session
        self._minutes = 5.0
        self._flip_before: datetime | None = None
        self._moved_words = ""
        self.pole = MountView("along its polar axis", along_pole(session.rig.site.latitude_deg))
        self.east = MountView("from the east", FROM_EAST)
        self.note = Note("", "")
        self.note.hide()
        self.title, self.subtitle = OneLine(strong=True), OneLine("soft", size=Size.SMALL)
        views = QHBoxLayout()
        views.setSpacing(Size.MARGIN)
        views.addWidget(self.pole, 1)
        views.addWidget(self.east, 1)
        self._views = QWidget()
        self._views.setLayout(views)
        views.setContentsMargins(0, 0, 0, 0)
        main = page(self.title, self.subtitle, self._views, self.note, gap=4)
        layout = main.layout()
        assert isinstance(layout, QVBoxLayout)
        layout.setStretchFactor(self._views, 1)
        layout.setStretchFactor(self.note, 1)
        self.side_words = wrapped("", "text")
        self.facts, self.coming = Facts(), Facts()
        self.why = wrapped("", "small")
        self.said = wrapped("", "warn")
        self.said.hide()
        self.before = ValueField("Minutes before the flip", self._set_minutes, self._say)
        self.before.setFixedWidth(46)
        self.put = button("Slew there", "", "Slew the mount so that the flip is due in so many minutes")
        self.try_flip = button("Slew across the meridian now", "", "The mount changes sides at once")
        self.stop = button("Stop", "", "Stop the mount")
        self.put.clicked.connect(self._put_before)
        self.try_flip.clicked.connect(self._try_flip)
        self.stop.clicked.connect(lambda: session.device("mount", "stop"))
        before = row(self.before, label("min before the flip:", "soft"), self.put, gap=6)
        before.addStretch(1)
        tools = QVBoxLayout()
        tools.setSpacing(6)
        tools.addLayout(before)
        tries = row(self.try_flip, self.stop, gap=6)
        tries.addStretch(1)
        tools.addLayout(tries)
        self._tools = QWidget()
        self._tools.setLayout(tools)
        tools.setContentsMargins(0, 0, 0, 0)
        self.warning = wrapped("", "small")
        inspector = side(
            label("The mount", "head"),
            self.side_words,
            self.facts,
            label("Coming", "section"),
            self.coming,
            self.why,
            label("Try the flip on the mount", "section"),
            self.warning,
            self._tools,
            self.said,
        )
        self.build(main, inspector)
        self.first = self.before
        session.devices_changed.connect(self.refresh)
        session.night_changed.connect(self.refresh)
        session.status_changed.connect(self.refresh)
        session.rig_changed.connect(self.refresh)
        session.moments.changed.connect(self.refresh)
        session.moments.now_changed.connect(self.refresh)
        session.deed_told.connect(self._deed_told)
        self.show_anew()

    # -- what it shows --------------------------------------------------------------------------------

    def pose(self) -> Pose | None:
        """As the mount says it stands; None when it says nothing."""
        report = self._session.reports.get("mount")
        state = report.state if report is not None else {}
        if "ra_deg" not in state or self._session.rig.mount is None:
            return None
        told = str(state.get("pier_side", ""))
        known = told if told in ("west", "east") else self._session.tonight.state.side
        return pose_at(self._session.rig, state["ra_deg"], state["dec_deg"], known, self._session.now)

    def later(self) -> Pose | None:
        """Where it will be at the moment that is looked at: on the block that is planned then, flipped when
        the flip comes before."""
        session, at = self._session, self._session.moments.as_at
        if at is None:
            return None
        steps = session.plan_ahead().steps
        block_id = next((s.block for s in reversed(steps) if s.begins <= at), "")
        block = next((b for b in session.plan.plan.blocks if b.id == block_id), None)
        if block is None:
            report = session.reports.get("mount")
            state = report.state if report is not None else {}
            if "ra_deg" not in state:
                return None
            return pose_at(session.rig, state["ra_deg"], state["dec_deg"], str(state.get("pier_side")), at)
        first = next(s.begins for s in steps if s.block == block_id)
        flips = [s for s in steps if s.kind == "flip" and s.block == block_id and s.ends <= at]
        target = block.target
        begun = pose_at(session.rig, target.ra_deg, target.dec_deg, "", first)
        side_then = "east" if flips else begun.side
        return pose_at(session.rig, target.ra_deg, target.dec_deg, side_then, at)

    def show_anew(self) -> None:
        session = self._session
        rig, pose = session.rig, self.pose()
        german = rig.mount is not None and rig.mount.kind == "german"
        self._views.setVisible(german)
        self.note.setVisible(not german)
        if not german:
            why = "The rig has no mount." if rig.mount is None else f"{rig.mount.name} needs no flip."
            self.note.say("Nothing to show", why)
        frame = Frame.at(rig.site.latitude_deg)
        self.pole.look_from(along_pole(rig.site.latitude_deg))
        for view in (self.pole, self.east):
            view.show_pose(frame, pose, self.later(), self._limits())
        self._show_words(pose)
        self._show_coming(pose)
        self._show_tools(pose)

    def _limits(self) -> list[tuple[float, str, str]]:
        rule = rule_for(self._session.rig)
        if rule is None:
            return []
        found = [(rule.wanted_min, "flip", "accent")]
        if rule.limit_min < 720:
            found.append((rule.last_min, "", "warn"))
            found.append((rule.limit_min, "limit", "fault"))
        return found

    def _show_words(self, pose: Pose | None) -> None:
        session = self._session
        name = session.rig.mount.name if session.rig.mount else ""
        as_at = session.moments.as_at
        self.title.say(name)
        self.subtitle.say(
            f"thin: as at {words.clock(as_at, session.zone)}"
            if as_at is not None
            else "drag on the ribbon to see where it will be"
        )
        if pose is None:
            self.side_words.setText("Not connected: it doesn't say where it looks.")
            self.facts.show_facts([])
            return
        where, looks = side_words(pose)
        self.side_words.setText(f"{where[0].upper()}{where[1:]}, {looks}.")
        here = pose.hour_angle_min
        far = f"{abs(here):.0f} min" if abs(here) < 60 else f"{abs(here) / 60:.1f} h"
        facts = [("hour angle", f"{far} {'before' if here < 0 else 'after'} the meridian")]
        facts.append(("declination", words.dec(pose.dec_deg)))
        tracking = session.reports["mount"].state.get("tracking")
        facts.append(("tracking", "on" if tracking else "off"))
        self.facts.show_facts(facts)

    def _show_coming(self, pose: Pose | None) -> None:
        """Flip, meridian and limit apart; the flip as the plan has it, and why that moved."""
        session = self._session
        expected = next((s.begins for s in session.plan_ahead().steps if s.kind == "flip"), None)
        found: list[tuple[str, datetime]] = []
        if expected is not None:
            found.append(("flip, as planned", expected))
        if pose is not None:
            told = countdowns(session.rig, pose, session.now)
            for name, moment in (
                ("meridian", told.meridian),
                ("the flip may begin", told.may_flip),
                ("limit", told.limit),
            ):
                if moment is not None:
                    found.append((name, moment))
        self.coming.show_facts(
            [
                (name, f"{words.clock(at, session.zone)}  in {words.countdown(at, session.now)}")
                for name, at in found
            ]
        )
        checks = session.status.conditions if session.status else []
        said = next((c["words"] for c in checks if c["condition"] == "pier side"), "")
        if not found and pose is not None:
            said = "No flip and no limit is ahead of it."
        self.why.setText(f"{said}{self._moved(expected)}".strip())
        self.why.setVisible(bool(self.why.text()))

    def _moved(self, expected: datetime | None) -> str:
        before, self._flip_before = self._flip_before, expected or self._flip_before
        if expected is None or before is None or abs(expected - before) < timedelta(seconds=30):
            return self._moved_words if expected is not None else ""
        by = (expected - before).total_seconds() / 60
        which = "later" if by > 0 else "earlier"
        self._moved_words = f"\nThe planned flip moved {abs(by):.0f} min {which}: it waits for a frame's end."
        return self._moved_words

    # -- trying the flip ------------------------------------------------------------------------------

    def _show_tools(self, pose: Pose | None) -> None:
        session = self._session
        free = not session.under_way or session.run == "held"
        rule = rule_for(session.rig)
        if rule is None:
            said = "The rig has no flip window: nothing to try."
        elif pose is None:
            said = "Connect the mount first (Rig)."
        elif not free:
            said = "A night runs: hold it to work the mount by hand."
        else:
            said = "By day too: no slew passes near the sun. Watch the cables."
            if not session.simulated:
                said += " The mount really moves."
        self.warning.setText(said)
        self.before.show_value(f"{self._minutes:g}")
        for tool in (self.put, self.try_flip):
            tool.setEnabled(rule is not None and pose is not None and free)

    def _set_minutes(self, text: str) -> None:
        self._minutes = number(text.removesuffix("min"), "before the flip", 0, _MOST_BEFORE_MIN)

    def _put_before(self) -> None:
        self._slew(self._minutes)

    def _try_flip(self) -> None:
        self._slew(-_AFTER_FLIP_MIN)

    def _slew(self, before_min: float) -> None:
        pose, report = self.pose(), self._session.reports.get("mount")
        if pose is None or report is None:
            return
        try:
            ra_deg = place_before_flip(
                self._session.rig, report.state["ra_deg"], before_min, pose.hour_angle_min
            )
        except ValueError as problem:
            self._say(str(problem))
            return
        self._say("")
        dec = report.state["dec_deg"]
        self._session.device("mount", "slew", ra=f"{ra_deg:.6f}", dec=f"{dec:.6f}")

    def _deed_told(self, deed: object) -> None:
        stage, device = getattr(deed, "stage", ""), getattr(deed, "device", "")
        if device == "mount" and stage in ("failed", "stopped"):
            self._say(str(getattr(deed, "reason", "")))

    def _say(self, problem: str) -> None:
        self.said.setText(problem)
        self.said.setVisible(bool(problem))
