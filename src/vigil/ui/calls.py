"""Calling a person who is elsewhere: a sound and a notification of the desktop's, by kind of event."""

from collections.abc import Callable
from dataclasses import dataclass
from datetime import timedelta

from PyQt6.QtCore import QObject, QSettings
from PyQt6.QtWidgets import QApplication

from vigil.documents.events import Event, Kind
from vigil.ui.actions import Action
from vigil.ui.session import Session


@dataclass(frozen=True, slots=True)
class Cause:
    """A kind of event that may call: its key in the settings, and its words."""

    key: str
    words: str
    kinds: frozenset[Kind]


CAUSES = (
    Cause("hold", "the night holds", frozenset({Kind.HELD})),
    Cause("failure", "something fails", frozenset({Kind.DEVICE_LOST, Kind.BLOCK_GIVEN_UP, Kind.GUARDED})),
    Cause("end", "the night is over", frozenset({Kind.NIGHT_OVER})),
)
_NEWS = timedelta(minutes=2)


class Calls(QObject):
    """`notify` shows a title and a text on the desktop; `sound` makes itself heard. Questions always call."""

    def __init__(
        self,
        session: Session,
        settings: QSettings | None,
        said: Callable[[str], None],
        notify: Callable[[str, str], None] | None = None,
        sound: Callable[[], None] | None = None,
    ) -> None:
        super().__init__()
        self._session, self._settings, self._said = session, settings, said
        self._notify = notify or desktop_notification
        self._sound = sound or QApplication.beep
        self._off = {
            cause.key for cause in CAUSES if settings and settings.value(f"call/{cause.key}") == "off"
        }
        session.happened.connect(self.take)

    def take(self, event: Event) -> None:
        """Call for it, if it is one that may, and news: a window that attaches is told the whole night."""
        status = self._session.status
        if status is not None and status.at - event.at > _NEWS:
            return
        if event.kind is Kind.QUESTION_ASKED:
            self.call("Vigil asks", str(event.values["words"]))
        cause = next((cause for cause in CAUSES if event.kind in cause.kinds), None)
        if cause is not None and cause.key not in self._off:
            self.call(f"Vigil: {cause.words}", event.reason)

    def call(self, title: str, text: str) -> None:
        self._sound()
        self._notify(title, text)

    def is_on(self, cause: Cause) -> bool:
        return cause.key not in self._off

    def switch(self, cause: Cause) -> None:
        """On or off, kept for the next time."""
        self._off ^= {cause.key}
        on = self.is_on(cause)
        if self._settings is not None:
            self._settings.setValue(f"call/{cause.key}", "on" if on else "off")
        self._said(f"Alert when {cause.words}: {'on' if on else 'off'}")

    def _named(self, cause: Cause) -> str:
        return f"Alert when {cause.words} (now {'on' if self.is_on(cause) else 'off'})"

    def actions(self) -> list[Action]:
        return [
            Action(self._named(cause), lambda c=cause: self.switch(c))  # type: ignore[misc]
            for cause in CAUSES
        ]


def desktop_notification(title: str, text: str) -> None:
    """By the desktop's own service; a desktop without one shows nothing."""
    # imported here: few nights call, and a window without a desktop has no bus
    from PyQt6.QtDBus import QDBusConnection, QDBusMessage

    bus = QDBusConnection.sessionBus()
    if not bus.isConnected():
        return
    service, path = "org.freedesktop.Notifications", "/org/freedesktop/Notifications"
    message = QDBusMessage.createMethodCall(service, path, service, "Notify")
    message.setArguments(["Vigil", 0, "", title, text, [], {}, -1])
    bus.send(message)
