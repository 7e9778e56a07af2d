"""The frame of a workspace: one main picture, an inspector at the right, sometimes a list at the left."""

from collections.abc import Callable
from typing import Protocol

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QVBoxLayout, QWidget

from vigil.ui.actions import Action
from vigil.ui.pieces import column
from vigil.ui.seen import SeenOnly
from vigil.ui.theme import Size


class Edited(Protocol):
    """Something with undo: `undoable` and `redoable` say in words what that would do."""

    @property
    def undoable(self) -> str: ...

    @property
    def redoable(self) -> str: ...

    def undo(self) -> None: ...

    def redo(self) -> None: ...


class Workspace(SeenOnly):
    """`main` takes what the sides leave; both sides fold away."""

    def __init__(self, name: str) -> None:
        super().__init__()
        self.name = name
        self.setObjectName("workspace")
        self.main: QWidget | None = None
        self.first: QWidget | None = None
        """Where the keyboard begins in the middle, where that is not its first field."""
        self.least_main = 480
        """What the middle needs at least: where a drawer leaves less, the sides give way."""
        self.list: QWidget | None = None
        self.inspector: QWidget | None = None
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(0)

    def build(self, main: QWidget, inspector: QWidget | None = None, left: QWidget | None = None) -> None:
        if left is not None:
            left.setFixedWidth(Size.LIST)
            left.setObjectName("list")
            self._layout.addWidget(left)
        self._layout.addWidget(main, 1)
        if inspector is not None:
            inspector.setFixedWidth(Size.INSPECTOR)
            inspector.setObjectName("inspector")
            self._layout.addWidget(inspector)
        self.main, self.list, self.inspector = main, left, inspector

    def fold(self, folded: bool) -> None:
        for side in (self.list, self.inspector):
            if side is not None:
                side.setVisible(not folded)

    def enlarge(self, large: bool) -> None:
        """For the full screen at the mount: larger figures, buttons to be touched."""

    def actions_here(self) -> list[Action]:
        """What can be done here, beside what can be done everywhere."""
        return []

    def begin_search(self) -> None:
        """To where one types what is searched for, where there is such a place."""

    def edited(self) -> Edited | None:
        """What undo takes back here, where that is not the plan."""
        return None

    def second(self) -> "tuple[QWidget, Callable[[], None]] | None":
        """The main picture once more, for a second monitor, and how it follows this one; None: the whole
        workspace is made once more, without its sides."""
        return None

    def entered(self) -> None:
        """The workspace has come to the front."""


def side(*widgets: QWidget, stretch: bool = True) -> QFrame:
    """A side column with the theme's margins."""
    frame = QFrame()
    layout = column(*widgets, gap=6)
    layout.setContentsMargins(12, 12, Size.MARGIN, 8)
    if stretch:
        layout.addStretch(1)
    frame.setLayout(layout)
    return frame


def scrolled(inner: QWidget) -> QScrollArea:
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(inner)
    area.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    viewport = area.viewport()
    if viewport is not None:
        viewport.setAutoFillBackground(False)
    inner.setAutoFillBackground(False)
    return area


def page(*parts: QWidget | QHBoxLayout | QVBoxLayout, gap: int = Size.GAP) -> QWidget:
    """The middle of a workspace."""
    made = QWidget()
    made.setObjectName("page")
    layout = QVBoxLayout(made)
    layout.setContentsMargins(Size.MARGIN, 12, Size.MARGIN, 8)
    layout.setSpacing(gap)
    for part in parts:
        if isinstance(part, QWidget):
            layout.addWidget(part)
        else:
            layout.addLayout(part)
    return made
