"""The rig in force, and the changed one that waits for a night's end."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from pydantic import ValidationError

from vigil.documents.night import NotAllowed
from vigil.documents.refusal import in_words
from vigil.documents.rig import Rig
from vigil.documents.rig.change import Difference, brief, differences, split, text_of
from vigil.engine.equipment import Equipment
from vigil.engine.night import Night


class RigInForce:
    """Owns the equipment. `changed` is called whenever another rig is in force."""

    def __init__(self, equipment: Equipment, changed: Callable[[], None]) -> None:
        self.equipment = equipment
        self.waiting: Rig | None = None
        self._changed = changed

    def change(self, values: dict[str, Any], night: Night | None) -> str:
        """Take over a changed rig: at once, or while a night runs what is safe at its next safe point, the
        rest when it is over. Raises NotAllowed."""
        try:
            wanted = Rig.model_validate(values["rig"])
        except (KeyError, ValidationError) as problem:
            wrong = in_words(problem) if isinstance(problem, ValidationError) else f"no {problem}"
            raise NotAllowed(f"the rig can't be used: {wrong}") from None
        in_force = self.equipment.rig
        if wanted.id != in_force.id:
            raise NotAllowed(f"this is the keeper of another rig: {in_force.id}, not {wanted.id}")
        if night is None:
            self.adopt(wanted)
            return "in force"
        mixed, now, later = split(in_force, wanted)
        self.waiting = wanted if later else None
        said: list[str] = []
        if now:
            words = "; ".join(f"{change.words} {brief(change.old)} → {brief(change.new)}" for change in now)
            self._adopt_in_night(mixed)
            night.change_rig(mixed, f"{words}, from the next safe point on")
            said.append(f"at the next safe point: {', '.join(change.words for change in now)}")
        if later:
            said.append(f"when the night is over: {', '.join(change.words for change in later)}")
        return "; ".join(said) or "nothing changed"

    def deferred(self) -> list[str]:
        """What waits for the night's end."""
        waits: list[Difference] = differences(self.equipment.rig, self.waiting) if self.waiting else []
        return [text_of(change.path) for change in waits]

    def keep_for_night(self, in_force: Rig) -> None:
        """A night that was taken up goes on with the rig that it had; what was changed since waits."""
        wanted = self.equipment.rig
        self.adopt(in_force)
        self.waiting = wanted if differences(in_force, wanted) else None

    def night_over(self) -> None:
        """What waited is in force."""
        if self.waiting is not None:
            self.adopt(self.waiting)

    def adopt(self, rig: Rig) -> None:
        """The rig and its devices, from now on."""
        self.waiting = None
        if self.equipment.bare_devices is not None:
            self.equipment.devices.renew(self.equipment.bare_devices(rig))
        self.equipment = replace(self.equipment, rig=rig)
        self._changed()

    def _adopt_in_night(self, rig: Rig) -> None:
        """The rig for what asks the keeper; the night itself takes it over when it comes to decide."""
        if self.equipment.bare_devices is not None:
            self.equipment.bare_devices(rig)
        self.equipment = replace(self.equipment, rig=rig)
        self._changed()
