"""What the tools beside a bench's picture are made of, and what they may do."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QLayout, QPushButton, QVBoxLayout, QWidget

from vigil.ui.fields import ValueField
from vigil.ui.pieces import label, row

FIELD_PX, _NAME_PX = 64, 80


@dataclass(frozen=True, slots=True)
class Doing:
    """`begin` an errand by its kind with its values, `stop` it, `say` what is wrong, `edit` the rig (fields'
    paths and values, and what that is in words)."""

    begin: Callable[..., None]
    stop: Callable[[], None]
    say: Callable[[str], None]
    edit: Callable[[dict[Any, Any], str], None]


def line(name: str, *parts: QWidget | str) -> QWidget:
    """Fields with their name before and units behind them."""
    before = label(name, "soft")
    before.setFixedWidth(_NAME_PX)
    made = row(before, gap=6)
    for part in parts:
        made.addWidget(label(part, "soft") if isinstance(part, str) else part)
    made.addStretch(1)
    return whole(made)


def value_field(name: str, apply: Callable[[str], None], say: Callable[[str], None]) -> ValueField:
    made = ValueField(name, apply, say)
    made.setFixedWidth(FIELD_PX)
    return made


def left(*buttons: QPushButton) -> QHBoxLayout:
    """Beside each other, at the left."""
    made = row(*buttons, gap=6)
    made.addStretch(1)
    return made


def whole(layout: QLayout, made: QWidget | None = None) -> QWidget:
    """A widget of a layout, at the top of what room it gets."""
    made = made or QWidget()
    layout.setContentsMargins(0, 0, 0, 0)
    if isinstance(layout, QVBoxLayout):
        layout.setAlignment(Qt.AlignmentFlag.AlignTop)
    made.setLayout(layout)
    return made
