"""Standing orders as fields: those of the plan, or a block's own limits in place of them."""

from collections.abc import Callable
from typing import Any, Literal, get_args, get_origin

from PyQt6.QtWidgets import QCheckBox, QWidget

from vigil.documents.plan import StandingOrders, order_shown
from vigil.documents.rig.change import bare, may_be_empty
from vigil.ui import words
from vigil.ui.fields import BackMark, ValueField
from vigil.ui.pieces import Choice, OneLine, label, row
from vigil.ui.session import Session

_FIELD_PX, _UNIT_PX = 48, 40
_OFF = "off"


class OrderField(QWidget):
    """One of them: `name` is the standing order's, `block_id` the block whose own it is, empty for the
    plan's. A dot marks what differs from the default, or from the plan; pressed, it goes back."""

    def __init__(self, session: Session, name: str, said: Callable[[str], None], block_id: str = "") -> None:
        super().__init__()
        self._session, self.name, self._said, self.block_id = session, name, said, block_id
        shown = order_shown(name)
        self._kind = StandingOrders.model_fields[name].annotation
        self._words = f"{shown.label} {shown.unit}".strip()
        tip = shown.help or self._words
        self.back = BackMark()
        self.back.setAccessibleName(f"{self._words}: back to {'the plan' if block_id else 'the default'}")
        self.back.clicked.connect(self._reset)
        self.input = self._made_input(shown.label)
        self.input.setAccessibleName(self._words)
        self.input.setToolTip(tip if not may_be_empty(self._kind) else f"{tip}; empty: off")
        if isinstance(self.input, QCheckBox):
            layout = row(self.input, self.back, gap=4)
            layout.addStretch(1)
        else:
            title = OneLine("soft")
            title.say(shown.label)
            unit = label(shown.unit, "small")
            unit.setFixedWidth(_UNIT_PX if shown.unit else 0)
            layout = row(title, self.back, self.input, unit, gap=4)
            layout.setStretch(0, 1)
        self.setLayout(layout)

    def _made_input(self, title: str) -> QWidget:
        kind = bare(self._kind)
        if kind is bool:
            box = QCheckBox(title)
            box.clicked.connect(lambda on: self._try(on))
            return box
        if get_origin(kind) is Literal:
            choice = Choice()
            self._options = [str(option) for option in get_args(kind)]
            choice.addItems(self._options)
            choice.activated.connect(lambda n: self._try(self._options[n]))
            return choice
        field = ValueField(self._words, self._typed, self._said)
        field.setFixedWidth(_FIELD_PX)
        field.setPlaceholderText(_OFF if may_be_empty(kind) else "")
        return field

    def _typed(self, text: str) -> None:
        """Raises ValueError."""
        shown = order_shown(self.name)
        text = text.strip().removesuffix(shown.unit).strip().replace(",", ".").replace(words.MINUS, "-")
        self._put(None if text in ("", _OFF) else text)

    def _put(self, value: Any) -> None:
        plan = self._session.plan
        if self.block_id:
            plan.edit_limits(self.block_id, self._words, **{self.name: value})
        else:
            plan.edit_orders(self._words, **{self.name: value})

    def _try(self, value: Any) -> None:
        try:
            self._put(value)
        except ValueError as problem:
            self._said(str(problem))

    def _reset(self) -> None:
        if self.block_id:
            self._session.plan.reset_limit(self.block_id, self.name)
        else:
            self._try(StandingOrders.model_fields[self.name].default)

    def refresh(self, locked: bool) -> None:
        plan = self._session.plan
        orders = plan.plan.orders
        if self.block_id:
            block = plan.block(self.block_id)
            value, differs = getattr(block.orders_in(orders), self.name), self.name in block.limits
            usual = getattr(orders, self.name)
        else:
            value, usual = getattr(orders, self.name), StandingOrders.model_fields[self.name].default
            differs = value != usual
        self.back.setEnabled(differs and not locked)
        self.back.setToolTip(f"Back to {_text(usual) or _OFF}" if differs else "")
        self.input.setEnabled(not locked)
        if isinstance(self.input, QCheckBox):
            self.input.setChecked(bool(value))
        elif isinstance(self.input, Choice):
            self.input.setCurrentIndex(self._options.index(str(value)))
        elif isinstance(self.input, ValueField):
            self.input.show_value(_text(value))


def _text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "on" if value else "off"
    return value if isinstance(value, str) else f"{value:g}".replace("-", words.MINUS)
