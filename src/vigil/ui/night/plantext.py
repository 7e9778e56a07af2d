"""The plan to read from top to bottom, its exposure lines to be edited where they stand."""

from collections.abc import Callable

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QCheckBox, QGridLayout, QHBoxLayout, QVBoxLayout, QWidget

from vigil.documents.messages import Command
from vigil.documents.plan import Block
from vigil.documents.steps import Step
from vigil.planning.plantext import (
    closing_words,
    opening_words,
    orders_told,
    own_limits_words,
    span_words,
)
from vigil.ui import words
from vigil.ui.fields import ValueField, number
from vigil.ui.night.blocklimits import BlockLimits
from vigil.ui.night.conditionlist import ConditionList
from vigil.ui.night.linerow import LineRow
from vigil.ui.night.orderfields import OrderField
from vigil.ui.night.spandetails import SpanDetails
from vigil.ui.night.steplist import StepList
from vigil.ui.pieces import OneLine, button, label, row, wrapped
from vigil.ui.seen import SeenOnly
from vigil.ui.session import Session
from vigil.ui.theme import Size

_NAME_PX = 96

_AT_END = ("park_at_end", "warm_at_end", "darks_at_end_min")


class BlockText(QWidget):
    """A block's name, its span in words, its lines."""

    chosen = pyqtSignal(str)

    def __init__(self, session: Session, block: Block, said: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self.block_id, self._said = session, block.id, said
        self.name = OneLine(strong=True, size=Size.HEAD)
        self.name.say(block.target.name)
        self.on = QCheckBox()
        self.on.setAccessibleName(f"{block.target.name} is on")
        self.on.setToolTip("Switch this block off: it stays in the plan, and isn't taken")
        self.on.clicked.connect(
            lambda on: session.plan.edit_block(self.block_id, "switching a block", off=not on)
        )
        self.span = wrapped("", "small")
        self.earlier = button("↑", "plain", "Earlier in the plan")
        self.later = button("↓", "plain", "Later in the plan")
        self.remove = button("Remove", "plain", "Take this block out of the plan (undo: Ctrl+Z)")
        self.earlier.setAccessibleName(f"{block.target.name} earlier")
        self.later.setAccessibleName(f"{block.target.name} later")
        self.remove.setAccessibleName(f"Remove {block.target.name}")
        self.earlier.clicked.connect(lambda: session.plan.move_block(self.block_id, -1))
        self.later.clicked.connect(lambda: session.plan.move_block(self.block_id, 1))
        self.remove.clicked.connect(lambda: session.plan.remove_block(self.block_id))
        self.more = button("…", "plain", "Its span, the order of its lines, steps before its first frame")
        self.more.setAccessibleName(f"More about {block.target.name}")
        self.more.setCheckable(True)
        self.more.setFixedWidth(28)
        head = QHBoxLayout()
        head.setSpacing(0)
        head.addWidget(self.on)
        head.addSpacing(4)
        head.addWidget(self.name, 1)
        for tool in (self.earlier, self.later, self.remove, self.more):
            head.addWidget(tool)
        self.details = SpanDetails(session, block.id, said)
        self.limits = BlockLimits(session, block.id, said)
        self.limits.hide()
        self.own = wrapped("", "small")
        self.double = button("Duplicate", "plain", "A copy of this block, its frames counted from none")
        self.double.setAccessibleName(f"Duplicate {block.target.name}")
        self.double.clicked.connect(lambda: session.plan.duplicate_block(self.block_id))
        self.double.hide()
        self.steps = StepList(
            session,
            f"before the first frame of {block.target.name}",
            ("ask", "wait", "program", "test exposure"),
            lambda: session.plan.block(self.block_id).steps,
            self._put_steps,
            said,
        )
        self.steps.setVisible(bool(block.steps))
        self.more.toggled.connect(self._show_more)
        self.lines = [LineRow(session, block, line, said) for line in block.lines]
        self.add = button("Add a line", "plain", "One more exposure line")
        self.add.setAccessibleName(f"Add a line to {block.target.name}")
        self.add.clicked.connect(lambda: session.plan.add_line(self.block_id))
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 6, 0, 0)
        layout.setSpacing(3)
        layout.addLayout(head)
        layout.addWidget(self.span)
        layout.addWidget(self.own)
        layout.addWidget(self.details)
        layout.addWidget(self.limits)
        layout.addWidget(self.steps)
        for line_row in self.lines:
            layout.addWidget(line_row)
        self.set_point = ValueField(
            "Camera's temperature for this block, °C; empty is the rig's", self._set_point, said
        )
        self.set_point.setFixedWidth(44)
        self.cold_words = label("at", "small"), label("°C", "small")
        self.go = button("Go there", "plain", "Slew, turn where it has an angle, and centre, now")
        self.go.setAccessibleName(f"Go to {block.target.name}")
        self.go.clicked.connect(lambda: session.go_to(session.plan.block(self.block_id).target))
        self.next = button("Do next", "plain", "This block before the others, after the frame under way")
        self.next.setAccessibleName(f"Do {block.target.name} next")
        self.next.clicked.connect(lambda: session.ask(Command.NEXT, block=self.block_id))
        self.skip = button("Skip tonight", "plain", "Skip this block for tonight, after the frame under way")
        self.skip.setAccessibleName(f"Skip {block.target.name} for tonight")
        self.skip.clicked.connect(lambda: session.ask(Command.SKIP, block=self.block_id))
        foot = row(self.add, self.double, self.go, self.next, self.skip, gap=0)
        foot.addStretch(1)
        for part in (self.cold_words[0], self.set_point, self.cold_words[1]):
            foot.addWidget(part)
            foot.addSpacing(4)
        layout.addLayout(foot)
        app = QApplication.instance()
        assert isinstance(app, QApplication)
        app.focusChanged.connect(self._focus_changed)

    def _focus_changed(self, _before: QWidget | None, now: QWidget | None) -> None:
        if now is not None and self.isAncestorOf(now):
            self.chosen.emit(self.block_id)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.chosen.emit(self.block_id)

    def _show_more(self, on: bool) -> None:
        for part in (self.details, self.limits, self.double):
            part.setVisible(on)
        self.steps.setVisible(on or bool(self._session.plan.block(self.block_id).steps))

    def _put_steps(self, steps: list[Step]) -> None:
        told = [step.model_dump() for step in steps]
        self._session.plan.edit_block(self.block_id, "the block's steps", steps=told)

    def _set_point(self, text: str) -> None:
        wanted = None if not text.strip() else number(text.replace(words.MINUS, "-"), "camera at", -60.01, 40)
        self._session.plan.edit_block(self.block_id, "setting the camera's temperature", set_point_c=wanted)

    def refresh(self, block: Block, first: bool, last: bool) -> None:
        session = self._session
        locked = bool(session.plan.locked)
        state, ahead = session.tonight.state, session.plan_ahead()
        fitting = {line.line: line.fitting for line in ahead.lines}
        self.name.say(block.target.name)
        self.span.setText(span_words(block.span))
        self.on.setChecked(not block.off)
        self.on.setEnabled(not locked)
        for line_row, line in zip(self.lines, block.lines, strict=True):
            fits = fitting.get(line.id, line.count) if session.run != "over" else line.count
            line_row.show_line(line, state.done(line.id), fits, locked)
        self.earlier.setEnabled(not locked and not first)
        self.later.setEnabled(not locked and not last)
        camera = session.rig.camera
        cooler = camera.cooler if camera else None
        running = session.takes_wishes
        for part in (*self.cold_words, self.set_point):
            part.setVisible(cooler is not None and not running)
        if cooler is not None:
            own = block.set_point_c
            self.set_point.setPlaceholderText(words.signed(cooler.set_point_c, 0))
            self.set_point.show_value("" if own is None else words.signed(own, 1).removesuffix(".0"))
        self.details.show_block(block, locked)
        self.limits.refresh(locked)
        own = own_limits_words(block, session.plan.plan.orders)
        self.own.setText(f"this block's own limits: {own}" if own else "")
        self.own.setVisible(bool(own))
        self.steps.refresh(locked)
        self.steps.setVisible(self.more.isChecked() or bool(block.steps))
        self.go.setVisible(not running or session.run == "held")
        left = block.id in state.given_up
        for tool in (self.next, self.skip):
            tool.setVisible(running)
        self.next.setEnabled(state.first != block.id)
        self.next.setText("Do after all" if left else "Do next")
        self.skip.setEnabled(not left)
        for tool in (self.remove, self.add, self.double, self.set_point):
            tool.setEnabled(not locked)


class Needs(QWidget):
    """What each exposure needs, a line each: the condition, and its limit beside it."""

    def __init__(self) -> None:
        super().__init__()
        self.told: list[tuple[str, str]] = []
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(3)
        self._grid.setColumnMinimumWidth(0, _NAME_PX)
        self._grid.setColumnStretch(1, 1)

    def show_needs(self, told: list[tuple[str, str]]) -> None:
        if told == self.told:
            return
        self.told = told
        while (item := self._grid.takeAt(0)) is not None:
            if (gone := item.widget()) is not None:
                gone.hide()
                gone.deleteLater()
        for line, (name, limit) in enumerate(told):
            self._grid.addWidget(label(name, "soft"), line, 0, Qt.AlignmentFlag.AlignTop)
            self._grid.addWidget(wrapped(limit, ""), line, 1)


class PlanText(SeenOnly):
    """Opening, what each exposure needs, the blocks, the closing."""

    block_chosen = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.blocks: list[BlockText] = []
        self._shape: tuple[object, ...] | None = None
        self.said = wrapped("", "warn")
        self.said.hide()
        self._orders = Needs()
        self._closing = wrapped("", "small")
        self._block_area = QVBoxLayout()
        self._block_area.setSpacing(10)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 4, 0)
        layout.setSpacing(4)
        self.opening = StepList(
            session,
            "opening",
            ("ask", "wait", "program"),
            lambda: [item for item in session.plan.plan.opening if item.kind != "condition"],
            session.plan.put_opening_steps,
            self.say,
        )
        self.closing = StepList(
            session,
            "closing",
            ("wait", "program"),
            lambda: session.plan.plan.closing,
            session.plan.put_closing_steps,
            self.say,
        )
        self._conditions = wrapped("", "small")
        layout.addWidget(label("Opening", "section"))
        layout.addWidget(self._conditions)
        layout.addWidget(self.opening)
        layout.addSpacing(4)
        self.all_conditions = button("…", "plain", "Every condition: what it means, its limits, its order")
        self.all_conditions.setAccessibleName("Every condition with its limits")
        self.all_conditions.setCheckable(True)
        self.all_conditions.setFixedWidth(28)
        self.all_conditions.toggled.connect(self._unfold_conditions)
        self.conditions = ConditionList(session, self.say)
        self.conditions.hide()
        needs = row(label("Each exposure needs", "section"), gap=0)
        needs.addStretch(1)
        needs.addWidget(self.all_conditions)
        layout.addLayout(needs)
        layout.addWidget(self._orders)
        layout.addWidget(self.conditions)
        layout.addSpacing(4)
        layout.addLayout(self._block_area)
        layout.addWidget(self.said)
        layout.addSpacing(6)
        layout.addWidget(label("Closing", "section"))
        layout.addWidget(self._closing)
        self.at_end = [OrderField(session, name, self.say) for name in _AT_END]
        for field in self.at_end:
            layout.addWidget(field)
        layout.addWidget(self.closing)
        layout.addStretch(1)
        session.plan.changed.connect(self.refresh)
        session.night_changed.connect(self.refresh)
        self.show_anew()

    def _unfold_conditions(self, on: bool) -> None:
        self.conditions.show_all(on)
        self._orders.setVisible(not on)

    def show_order(self, name: str) -> None:
        """Bring a standing order's field up, with the keyboard in it."""
        field = next((f.input for f in self.at_end if f.name == name), None)
        if field is None:
            self.all_conditions.setChecked(True)
            field = self.conditions.unfold(name)
        if field is not None:
            field.setFocus()

    def say(self, problem: str) -> None:
        """What is wrong with a value, by the lines."""
        self.said.setText(problem)
        self.said.setVisible(bool(problem))

    def show_anew(self) -> None:
        plan = self._session.plan.plan
        lines = tuple((block.id, tuple(line.id for line in block.lines)) for block in plan.blocks)
        shape = (lines, tuple(self._session.rig.filter_names))
        if shape != self._shape:
            self._rebuild()
            self._shape = shape
        for i, (text, block) in enumerate(zip(self.blocks, plan.blocks, strict=True)):
            text.refresh(block, i == 0, i == len(plan.blocks) - 1)
        locked = bool(self._session.plan.locked)
        self._orders.show_needs(orders_told(plan, self._session.rig))
        self.conditions.refresh(locked)
        self._conditions.setText(" · ".join(opening_words(plan)))
        self._conditions.setVisible(bool(plan.conditions))
        self.opening.refresh(locked)
        self.closing.refresh(locked)
        self._closing.setText(" · ".join(closing_words(plan, self._session.rig)))
        for field in self.at_end:
            field.refresh(locked)

    def _rebuild(self) -> None:
        for old in self.blocks:
            self._block_area.removeWidget(old)
            old.hide()
            old.deleteLater()
        self.blocks = []
        for block in self._session.plan.plan.blocks:
            made = BlockText(self._session, block, self.say)
            made.chosen.connect(self.block_chosen)
            self.blocks.append(made)
            self._block_area.addWidget(made)
