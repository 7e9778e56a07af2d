"""What must hold before each exposure, in the plan's order: each explains itself and has its limits in it."""

from collections.abc import Callable

from PyQt6.QtCore import QPointF, QRectF, QSize
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QCheckBox, QSizePolicy, QVBoxLayout, QWidget

from vigil.documents.conditions import KNOWN, Known
from vigil.documents.conditions import known as known_by
from vigil.planning.dithercost import cost_words
from vigil.planning.openingorder import in_order
from vigil.planning.plantext import limits_words
from vigil.ui.night.orderfields import OrderField
from vigil.ui.picture import RIGHT, Picture, elided, text_width, write
from vigil.ui.pieces import Told, button, paint_lamp, row
from vigil.ui.session import Session
from vigil.ui.theme import Size, text_font

_ROW_PX = 20


class Headline(Picture):
    """A condition's name, its limits in words, and a mark while a device that it needs isn't there."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self._name, self._said, self._lamp = name, "", ""
        self.setMinimumHeight(_ROW_PX)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        return QSize(160, _ROW_PX)

    def say(self, limits: str, off: bool, lamp: str, missing: str) -> None:
        self._said, self._lamp, self._off = ("off" if off else limits), lamp, off
        self.setToolTip("; ".join(x for x in (self._said, missing) if x))
        self.setAccessibleName(f"{self._name}: {self.toolTip() or 'no limit'}")
        self.update()

    def paint(self, painter: QPainter) -> None:
        used = write(painter, QPointF(0, 14), self._name, "faint" if self._off else "text", text_font())
        left = self.width()
        if self._lamp:
            paint_lamp(painter, QRectF(left - 10, 5.5, 9, 9), self._lamp)
            left -= 15
        font = text_font(Size.SMALL)
        room = left - used - 10
        if room > text_width("…", font):
            write(painter, QPointF(left, 14), elided(self._said, font, room), "soft", font, RIGHT)


class ConditionRow(QWidget):
    """Folded it is one line; unfolded it says what it means and how it is brought about, with its limits."""

    def __init__(self, session: Session, known: Known, said: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self.known, self._said = session, known, said
        self.on = QCheckBox()
        self.on.setAccessibleName(f"{known.name} is on")
        may = "Switch this condition off" if known.may_be_off else "A night relies on it: it can't be off"
        self.on.setToolTip(may)
        self.on.setEnabled(known.may_be_off)
        self.on.clicked.connect(
            lambda on: self._try(lambda: session.plan.switch_condition(known.name, not on))
        )
        self.headline = Headline(known.name)
        self.more = button("…", "mini", "What it means, its limits, its place in the order")
        self.more.setAccessibleName(f"More about {known.name}")
        self.more.setCheckable(True)
        self.more.setFixedSize(28, _ROW_PX)
        self.more.toggled.connect(lambda on: self.details.setVisible(on))
        self.earlier = button("↑", "plain", "Looked at earlier")
        self.later = button("↓", "plain", "Looked at later")
        self.earlier.setAccessibleName(f"{known.name} earlier")
        self.later.setAccessibleName(f"{known.name} later")
        self.earlier.clicked.connect(lambda: self._try(lambda: session.plan.move_condition(known.name, -1)))
        self.later.clicked.connect(lambda: self._try(lambda: session.plan.move_condition(known.name, 1)))
        self.fields = [OrderField(session, name, said) for name in known.orders]
        self.missing = Told("", "warn")
        self.cost = Told("", "small")
        self.details = QWidget()
        inner = QVBoxLayout(self.details)
        inner.setContentsMargins(22, 0, 0, 6)
        inner.setSpacing(3)
        inner.addWidget(Told(f"{known.explained} If not: {known.by}.", "small"))
        inner.addWidget(self.missing)
        inner.addWidget(self.cost)
        for field in self.fields:
            inner.addWidget(field)
        order = row(self.earlier, self.later, gap=0)
        order.addStretch(1)
        inner.addLayout(order)
        self.details.hide()
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        head = row(self.on, self.headline, self.more, gap=4)
        head.setStretch(1, 1)
        layout.addLayout(head)
        layout.addWidget(self.details)

    def _try(self, change: Callable[[], None]) -> None:
        try:
            change()
            self._said("")
        except ValueError as problem:
            self._said(str(problem))
            self.refresh(bool(self._session.plan.locked))

    def refresh(self, locked: bool) -> None:
        session = self._session
        plan = session.plan.plan
        off = any(item.off for item in in_order(plan.opening) if item.name == self.known.name)
        self.on.setChecked(not off)
        self.on.setEnabled(self.known.may_be_off and not locked)
        bad = [
            (name, session.reports[name].lamp)
            for name in self.known.devices
            if name in session.reports and session.reports[name].lamp in ("not connected", "fault")
        ]
        missing = "; ".join(f"{name} {lamp}" for name, lamp in bad)
        lamp = "fault" if any(x == "fault" for _, x in bad) else bad[0][1] if bad else ""
        self.headline.say(limits_words(self.known.name, plan.orders, session.rig), off, lamp, missing)
        self.missing.setText(missing)
        self.missing.setVisible(bool(missing))
        cost = self._cost() if self.known.name == "dithered" and not off else ""
        self.cost.setText(cost)
        self.cost.setVisible(bool(cost))
        for tool in (self.earlier, self.later):
            tool.setEnabled(not locked)
        for field in self.fields:
            field.refresh(locked)

    def _cost(self) -> str:
        """What dithers take of the night ahead."""
        session = self._session
        if not session.plan.plan.blocks or session.plan.contradictions():
            return ""
        return f"{cost_words(session.plan_ahead(), session.rig, session.takes).capitalize()}."


class ConditionList(QWidget):
    """Those that the rig's parts make sense of. The rows are made when they are first shown: the window's
    first picture has none of them."""

    def __init__(self, session: Session, said: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._said = session, said
        self.rows: list[ConditionRow] = []
        self._wanted = False
        self._order: list[str] = []
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(1)
        session.devices_changed.connect(lambda: self.refresh(bool(session.plan.locked)))

    def show_all(self, on: bool) -> None:
        """Unfold the list, or fold it away."""
        self._wanted = self._wanted or on
        self.refresh(bool(self._session.plan.locked))
        self.setVisible(on)

    def refresh(self, locked: bool) -> None:
        if not self._wanted:
            return
        rig = self._session.rig
        wanted = {known.name for known in KNOWN if known.wanted(rig)}
        order = [x.name for x in in_order(self._session.plan.plan.opening) if x.name in wanted]
        if order != self._order:
            self._reorder(order)
        for made in self.rows:
            made.refresh(locked)

    def _reorder(self, order: list[str]) -> None:
        """Rows that are there are kept, unfolded as they are."""
        by_name = {made.known.name: made for made in self.rows}
        for name, made in by_name.items():
            self._layout.removeWidget(made)
            if name not in order:
                made.hide()
                made.deleteLater()
        self.rows = []
        for name in order:
            entry = known_by(name)
            assert entry is not None, "only known ones are listed"
            made = by_name.get(name) or ConditionRow(self._session, entry, self._said)
            self.rows.append(made)
            self._layout.addWidget(made)
        self._order = order

    def unfold(self, order: str) -> QWidget | None:
        """Show the condition with a standing order in it; returns its field."""
        for made in self.rows:
            for field in made.fields:
                if field.name == order:
                    made.more.setChecked(True)
                    return field.input
        return None
