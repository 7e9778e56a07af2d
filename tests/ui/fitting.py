"""Whether every label has the room it needs, and no two things lie over each other.

Run as a program at another scaling: `QT_SCALE_FACTOR=2 python -m tests.ui.fitting WIDTH HEIGHT`.
"""

import sys
from pathlib import Path

from PyQt6.QtCore import QRect
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractScrollArea,
    QComboBox,
    QLabel,
    QLineEdit,
    QStackedWidget,
    QWidget,
)

from vigil.ui.pieces import Facts, OneLine
from vigil.ui.workspacerow import WorkspaceRow

_SLACK_PX = 1


def misfits(root: QWidget) -> list[str]:
    """What is clipped or overlapped among the visible widgets under `root`."""
    found = []
    for widget in root.findChildren(QWidget):
        if widget.isVisible():
            found += _clipped(widget)
            found += _overlapped(widget)
    return found


def _clipped(widget: QWidget) -> list[str]:
    needed_width = needed_height = 0
    if isinstance(widget, QLabel) and widget.text():
        if widget.wordWrap():
            needed_height = widget.heightForWidth(widget.width())
            longest = max(widget.text().split(), key=len)
            needed_width = widget.fontMetrics().horizontalAdvance(longest)
        else:
            needed_width, needed_height = widget.sizeHint().width(), widget.sizeHint().height()
    elif isinstance(widget, QAbstractButton) and widget.text():
        needed_width = widget.fontMetrics().horizontalAdvance(widget.text()) + 8
        needed_height = widget.fontMetrics().height()
    elif isinstance(widget, QLineEdit) and widget.text():
        needed_width = widget.fontMetrics().horizontalAdvance(widget.text()) + 8
    elif isinstance(widget, QComboBox):
        needed_width = widget.fontMetrics().horizontalAdvance(widget.currentText()) + 22
    elif isinstance(widget, Facts):
        needed_width, needed_height = round(widget.needed_width()), widget.sizeHint().height()
    elif isinstance(widget, WorkspaceRow):
        needed_width = widget.minimumSizeHint().width()
    elif isinstance(widget, OneLine) and widget.text:
        needed_width = 30  # it may be cut with an ellipsis, but must say something
    said = getattr(widget, "text", "")
    said = said() if callable(said) else said
    what = f"{type(widget).__name__} {str(said)[:40]!r}"
    problems = []
    if widget.width() + _SLACK_PX < needed_width:
        problems.append(f"{what} needs {needed_width} px of width, has {widget.width()}")
    if widget.height() + _SLACK_PX < needed_height:
        problems.append(f"{what} needs {needed_height} px of height, has {widget.height()}")
    parent = widget.parentWidget()
    scrolling = parent is not None and isinstance(parent.parentWidget(), QAbstractScrollArea)
    if parent is not None and not scrolling and (needed_width or needed_height):
        inside = parent.rect().adjusted(-_SLACK_PX, -_SLACK_PX, _SLACK_PX, _SLACK_PX)
        if not inside.contains(widget.geometry()):
            problems.append(f"{what} reaches out of its {type(parent).__name__}")
    if scrolling and parent is not None and widget.width() > parent.width() + _SLACK_PX:
        problems.append(f"{what} is wider than its scroll area: {widget.width()} over {parent.width()}")
    return problems


def _overlapped(parent: QWidget) -> list[str]:
    """Children of one layout must not lie over each other."""
    layout = parent.layout()
    if layout is None or isinstance(parent, QStackedWidget):
        return []
    placed: list[tuple[str, QRect]] = []
    for i in range(layout.count()):
        item = layout.itemAt(i)
        widget = item.widget() if item is not None else None
        if widget is not None and widget.isVisible() and not widget.geometry().isEmpty():
            placed.append((type(widget).__name__, widget.geometry()))
    return [
        f"{one} lies over {other} in {type(parent).__name__}"
        for i, (one, here) in enumerate(placed)
        for other, there in placed[i + 1 :]
        if here.intersects(there)
    ]


def main(width: int, height: int) -> int:
    """Every workspace before and after a night's start, at a size; prints what doesn't fit."""
    import tempfile

    from campaigns.demo import demo_plan, demo_rig
    from tests.ui.test_fit import every_moment
    from vigil.ui.app import make_application

    app = make_application(["vigil"])
    with tempfile.TemporaryDirectory() as folder:
        found = every_moment(demo_rig(), demo_plan(), Path(folder), (width, height))
    app.processEvents()
    print("\n".join(found))
    return len(found)


if __name__ == "__main__":
    sys.exit(main(int(sys.argv[1]), int(sys.argv[2])))
