"""A window no larger than the room that its screen has for it."""

from PyQt6.QtCore import QRect
from PyQt6.QtWidgets import QWidget


def fit(window: QWidget, room: QRect) -> None:
    """Make a window, frame and title bar included, fit a room and stand in it; a full one does already."""
    if window.isFullScreen() or window.isMaximized():
        return
    most = room.size() - (window.frameGeometry().size() - window.size())
    window.setMinimumSize(window.minimumSize().boundedTo(most))
    window.resize(window.size().boundedTo(most))
    frame = window.frameGeometry()
    if not room.contains(frame):
        left = min(max(frame.left(), room.left()), room.right() + 1 - frame.width())
        top = min(max(frame.top(), room.top()), room.bottom() + 1 - frame.height())
        window.move(left, top)
