"""Between the keeper and the window: a thread that talks, and queued signals that tell."""

import threading
import uuid
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QObject, pyqtSignal

from vigil.documents.messages import Answer, Ask, Command, Status
from vigil.link.endpoint import News
from vigil.ui.linkstate import Connector, LinkState

if TYPE_CHECKING:
    from vigil.ui.conversation import Conversation


class Bridge(QObject):
    """Signals carry batches, at most twenty a second, to the thread that the receiver lives in.

    `connect_by` is called in the bridge's own thread: what it imports delays no picture.
    """

    told = pyqtSignal(list)
    status_came = pyqtSignal(object)
    link_changed = pyqtSignal(object, str)
    answered = pyqtSignal(object, object)

    def __init__(self, connect_by: Callable[[], Connector]) -> None:
        super().__init__()
        self._connect_by = connect_by
        self._conversation: Conversation | None = None
        self._ready = threading.Event()
        self._thread = threading.Thread(target=self._run, name="keeper link", daemon=True)

    def start(self) -> None:
        self._thread.start()

    def ask(self, command: Command, **values: Any) -> str:
        """Send a command; `answered` brings what came of it. Returns the command's id."""
        ask = Ask(id=uuid.uuid4().hex, command=command, values=values)
        self._talking().ask(ask)
        return ask.id

    def start_keeper(self) -> None:
        """Start a keeper again after one has died or left."""
        self._talking().start_keeper()

    def stop(self, limit_s: float = 5.0) -> None:
        """Leave; the keeper goes on."""
        if self._thread.is_alive():
            self._talking().leave()
            self._thread.join(limit_s)

    def _talking(self) -> "Conversation":
        self._ready.wait()
        assert self._conversation is not None
        return self._conversation

    def _run(self) -> None:
        from vigil.ui.conversation import Conversation

        self._conversation = Conversation(self._connect_by(), self)
        self._conversation.run(self._ready.set)

    # -- called in the thread: signals cross over ------------------------------------------------------

    def tell(self, batch: list[News]) -> None:
        self.told.emit(batch)

    def tell_status(self, status: Status) -> None:
        self.status_came.emit(status)

    def tell_link(self, state: LinkState, words: str) -> None:
        self.link_changed.emit(state, words)

    def tell_answer(self, ask: Ask, answer: Answer) -> None:
        self.answered.emit(ask, answer)
