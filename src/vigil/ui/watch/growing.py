"""The base of pictures of a run that grows step by step."""

from typing import Generic, TypeVar

from PyQt6.QtWidgets import QWidget

from vigil.ui.picture import Picture
from vigil.ui.record import Centring, FocusRun

RunT = TypeVar("RunT", FocusRun, Centring)


class GrowingRun(Picture, Generic[RunT]):
    """Painted anew only when the run has another step."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._run: RunT | None = None
        self._key: tuple[object, ...] = ()
        self.setAccessibleName(name)

    def show_run(self, run: RunT | None) -> None:
        key = (id(run), self.steps_of(run), run.outcome) if run is not None else ()
        if key != self._key:
            self._run, self._key = run, key
            if run is not None and self.steps_of(run):
                self.setAccessibleDescription(self.last_step(run))
            self.update()

    def steps_of(self, run: RunT) -> int:
        """How many steps there are."""
        raise NotImplementedError

    def last_step(self, run: RunT) -> str:
        """The newest one in words."""
        raise NotImplementedError
