"""How far the activity under way has got."""

from dataclasses import dataclass


@dataclass(slots=True)
class Progress:
    """One live value: from where, to where, now. Only the newest counts; it is never in the ledger."""

    topic: str = ""
    words: str = ""
    initial: float = 0.0
    current: float = 0.0
    target: float = 0.0
    unit: str = ""

    def begin(self, topic: str, words: str, initial: float, target: float, unit: str) -> None:
        self.topic, self.words, self.unit = topic, words, unit
        self.initial = self.current = initial
        self.target = target

    def clear(self) -> None:
        self.topic = self.words = self.unit = ""
        self.initial = self.current = self.target = 0.0
