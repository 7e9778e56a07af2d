"""The plan to read from top to bottom, its exposure lines to be edited where they stand."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, pyqtSignal
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from vigil.documents.messages import Command
from vigil.documents.plan import Block
from vigil.documents.steps import Step
from vigil.planning.plantext import focus_words, opening_words, span_words
from vigil.ui import words
from vigil.ui.fields import ValueField, number, whole_number
from vigil.ui.night.linerow import LineRow
from vigil.ui.night.spandetails import SpanDetails
from vigil.ui.night.steplist import StepList
from vigil.ui.pieces import OneLine, button, label, row, wrapped
from vigil.ui.session import Session
from vigil.ui.theme import Size


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
        layout.addWidget(self.details)
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
        self.next = button("Next", "plain", "This block before the others, after the frame under way")
        self.next.setAccessibleName(f"{block.target.name} next")
        self.next.clicked.connect(lambda: session.ask(Command.NEXT, block=self.block_id))
        self.leave = button("Leave", "plain", "Leave this block for tonight, after the frame under way")
        self.leave.setAccessibleName(f"Leave {block.target.name} for tonight")
        self.leave.clicked.connect(lambda: session.ask(Command.LEAVE, block=self.block_id))
        foot = row(self.add, self.go, self.next, self.leave, gap=0)
        foot.addStretch(1)
        for part in (self.cold_words[0], self.set_point, self.cold_words[1]):
            foot.addWidget(part)
            foot.addSpacing(4)
        layout.addLayout(foot)
        for child in self.findChildren(QWidget):
            child.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.FocusIn:
            self.chosen.emit(self.block_id)
        return False

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.chosen.emit(self.block_id)

    def _show_more(self, on: bool) -> None:
        self.details.setVisible(on)
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
        running = session.run in ("running", "held")
        for part in (*self.cold_words, self.set_point):
            part.setVisible(cooler is not None and not running)
        if cooler is not None:
            own = block.set_point_c
            self.set_point.setPlaceholderText(words.signed(cooler.set_point_c, 0))
            self.set_point.show_value("" if own is None else words.signed(own, 1).removesuffix(".0"))
        self.details.show_block(block, locked)
        self.steps.refresh(locked)
        self.steps.setVisible(self.more.isChecked() or bool(block.steps))
        self.go.setVisible(not running or session.run == "held")
        left = block.id in state.given_up
        for tool in (self.next, self.leave):
            tool.setVisible(running)
        self.next.setEnabled(state.first != block.id)
        self.next.setText("Take up" if left else "Next")
        self.leave.setEnabled(not left)
        for tool in (self.remove, self.add, self.set_point):
            tool.setEnabled(not locked)


class PlanText(QWidget):
    """Opening, what each exposure needs, the blocks, the closing."""

    block_chosen = pyqtSignal(str)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.blocks: list[BlockText] = []
        self._shape: tuple[object, ...] | None = None
        self.said = wrapped("", "warn")
        self.said.hide()
        self._orders = wrapped("", "small")
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
        layout.addWidget(label("Each exposure needs", "section"))
        layout.addWidget(self._orders)
        layout.addLayout(self._made_orders())
        layout.addSpacing(4)
        layout.addLayout(self._block_area)
        layout.addWidget(self.said)
        layout.addSpacing(6)
        layout.addWidget(label("Closing", "section"))
        layout.addWidget(self._closing)
        layout.addWidget(self.closing)
        layout.addStretch(1)
        session.plan.changed.connect(self.refresh)
        session.night_changed.connect(self.refresh)
        self.refresh()

    def _made_orders(self) -> QVBoxLayout:
        """The standing orders that are edited here."""
        plan = self._session.plan
        self.dither = ValueField("Dither every so many frames; empty is off", self._set_dither, self.say)
        self.dither_px = ValueField("Dither by so many pixels at most", self._set_dither_px, self.say)
        for field in (self.dither, self.dither_px):
            field.setFixedWidth(46)
        self.refocus = QCheckBox("focus anew after the flip")
        self.refocus.clicked.connect(
            lambda on: plan.edit_orders("refocusing after the flip", focus_after_flip=on)
        )
        every = row(
            label("dither every", "small"),
            self.dither,
            label("frames, by", "small"),
            self.dither_px,
            label("px", "small"),
            gap=4,
        )
        every.addStretch(1)
        made = QVBoxLayout()
        made.setSpacing(4)
        made.addLayout(every)
        made.addWidget(self.refocus)
        return made

    def _set_dither(self, text: str) -> None:
        every = None if not text.strip() else whole_number(text, "dither every", 1, 999)
        self._session.plan.edit_orders("dithering", dither_every_frames=every)

    def _set_dither_px(self, text: str) -> None:
        self._session.plan.edit_orders("dithering", dither_px=number(text.removesuffix("px"), "by", 0, 200))

    def say(self, problem: str) -> None:
        """What is wrong with a value, by the lines."""
        self.said.setText(problem)
        self.said.setVisible(bool(problem))

    def refresh(self) -> None:
        plan = self._session.plan.plan
        lines = tuple((block.id, tuple(line.id for line in block.lines)) for block in plan.blocks)
        shape = (lines, tuple(self._session.rig.filter_names))
        if shape != self._shape:
            self._rebuild()
            self._shape = shape
        for i, (text, block) in enumerate(zip(self.blocks, plan.blocks, strict=True)):
            text.refresh(block, i == 0, i == len(plan.blocks) - 1)
        orders, camera = plan.orders, self._session.rig.camera
        locked = bool(self._session.plan.locked)
        every = orders.dither_every_frames
        self.dither.show_value("" if every is None else f"{every}")
        self.dither.setPlaceholderText("off")
        self.dither_px.show_value(f"{orders.dither_px:g}")
        self.refocus.setChecked(orders.focus_after_flip)
        mount = self._session.rig.mount
        self.refocus.setVisible(mount is not None and mount.flip is not None)
        for part in (self.dither, self.dither_px, self.refocus):
            part.setEnabled(not locked)
        cooler = camera.cooler if camera else None
        cold = (
            f"camera at {words.signed(cooler.set_point_c, 0)} °C ± {orders.camera_within_c:g} · "
            if cooler
            else ""
        )
        fresh = f" · {focus_words(orders)}" if self._session.rig.focuser is not None else ""
        self._orders.setText(f"{cold}mount tracking · on target within {orders.target_reach_px:g} px{fresh}")
        self._conditions.setText(" · ".join(opening_words(plan)))
        self._conditions.setVisible(bool(plan.conditions))
        self.opening.refresh(locked)
        self.closing.refresh(locked)
        closing = []
        if orders.park_at_end:
            closing.append("mount parked")
        if orders.warm_at_end and cooler:
            closing.append(f"camera warmed to {words.signed(cooler.warm_to_c, 0)} °C, then off")
        self._closing.setText(" · ".join(closing) or "everything stays as it is")

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
