"""The base of pictures of a run that grows step by step."""

from typing import ClassVar, Generic, TypeVar

from vigil.ui.picture import Picture
from vigil.ui.record import Centring, FocusRun

RunT = TypeVar("RunT", FocusRun, Centring)


class GrowingRun(Picture, Generic[RunT]):
    """Painted anew only when the run has another step."""

    NAME: ClassVar[str]

    def __init__(self) -> None:
        super().__init__()
        self._run: RunT | None = None
        self._key: tuple[object, ...] = ()
        self.setAccessibleName(self.NAME)

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
