"""Everything one can do, by name: for keys, for the command bar, for tests."""

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Action:
    """`hindrance` gives the reason why it can't be done now; empty when it can."""

    name: str
    run: Callable[[], None]
    keys: str = ""
    hindrance: Callable[[], str] = lambda: ""

    def matches(self, typed: str) -> bool:
        """Whether every word typed begins a word of the name."""
        # "300" finds "×300"
        parts = [part.lstrip("×") for part in self.name.casefold().split()]
        return all(
            any(part.startswith(word) for part in parts) for word in typed.casefold().replace("×", "").split()
        )
