"""A scenario as people read it: every value by its section, its name, its unit."""

from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from vigil.documents.rig.change import brief, fields_of
from vigil.documents.scenario.scenario import Scenario


@dataclass(frozen=True, slots=True)
class Entry:
    """One value. `ordinary` says whether it is as in a scenario that says nothing."""

    path: str
    section: str
    label: str
    value: Any
    unit: str
    help: str
    ordinary: bool

    @property
    def shown(self) -> str:
        """The value with its unit; an empty one is the seed's affair."""
        if self.value is None:
            return "–"
        if isinstance(self.value, tuple):
            return f"{', '.join(f'{v:g}' for v in self.value)} {self.unit}".strip()
        return brief(self.value, self.unit)


def entries(scenario: Scenario) -> list[Entry]:
    """All values but the faults, in the document's order."""
    found = []
    for section in type(scenario).model_fields:
        part = getattr(scenario, section)
        if not isinstance(part, BaseModel):
            continue
        usual = type(part)()
        for name, field in fields_of(type(part)).items():
            value = getattr(part, name)
            found.append(
                Entry(
                    f"{section}.{name}",
                    section,
                    field.shown.label,
                    value,
                    field.shown.unit,
                    field.shown.help,
                    value == getattr(usual, name),
                )
            )
    return found
