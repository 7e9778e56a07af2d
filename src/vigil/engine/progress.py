"""How far the activity under way has got."""

import asyncio
from dataclasses import dataclass, field


@dataclass(slots=True)
class Progress:
    """One live value: from where, to where, now. Only the newest counts; it is never in the ledger, and
    nothing decides by it."""

    topic: str = ""
    words: str = ""
    initial: float = 0.0
    target: float = 0.0
    unit: str = ""
    _current: float = 0.0
    _since: float | None = field(default=None, repr=False)

    @property
    def current(self) -> float:
        """Where it is: as it was told, or as the clock has it."""
        if self._since is None:
            return self._current
        return min(self.target, asyncio.get_running_loop().time() - self._since)

    @current.setter
    def current(self, value: float) -> None:
        self._current = value

    def begin(self, topic: str, words: str, initial: float, target: float, unit: str) -> None:
        self.topic, self.words, self.unit = topic, words, unit
        self.initial = self._current = initial
        self.target, self._since = target, None

    def run(self, topic: str, words: str, seconds: float) -> None:
        """What goes on by itself for so long."""
        self.begin(topic, words, 0.0, seconds, "s")
        self._since = asyncio.get_running_loop().time()

    def clear(self) -> None:
        self.begin("", "", 0.0, 0.0, "")
