"""A combo box that does what is chosen in it."""

from collections.abc import Callable, Sequence

from vigil.ui.pieces import Choice

Entry = tuple[str, Callable[[], str]]
"""Its words, and what it does; that returns what came of it."""


class ListedActions(Choice):
    """`entries` says what can be done now; `said` gets what came of it. Raised OSError and ValueError are
    told as "Not done: …"."""

    def __init__(
        self, head: str, entries: Callable[[], Sequence[Entry]], said: Callable[[str], None]
    ) -> None:
        super().__init__()
        self._head, self._make, self._said = head, entries, said
        self._entries: list[Entry] = []
        self.activated.connect(self._take)
        self.refresh()

    def showPopup(self) -> None:
        self.refresh()
        super().showPopup()

    def refresh(self) -> None:
        self._entries = list(self._make())
        self.clear()
        self.addItems([self._head, *(words for words, _ in self._entries)])

    def _take(self, index: int) -> None:
        self.setCurrentIndex(0)
        if index > 0:
            try:
                self._said(self._entries[index - 1][1]())
            except (OSError, ValueError) as problem:
                self._said(f"Not done: {problem}")
            self.refresh()
