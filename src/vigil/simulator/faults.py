"""Which faults befall whom, and when: those by chance are drawn for the whole night beforehand."""

from collections.abc import Sequence
from dataclasses import dataclass

from vigil.documents.rig import Rig
from vigil.documents.scenario import Fault, FaultKind
from vigil.simulator.chance import generator

_NIGHT_MIN = 24 * 60.0


@dataclass(frozen=True, slots=True)
class Spell:
    """A fault's one occurrence; `number` tells it from all others of the scenario."""

    number: str
    fault: Fault
    begins_min: float

    @property
    def ends_min(self) -> float:
        return self.begins_min + self.fault.minutes

    def words(self, minute: float) -> str:
        """The fault, and how long it still lasts."""
        fault = self.fault
        return f"{fault.befalls or 'the disk'}: {fault.kind}, {self.ends_min - minute:.0f} min more"


class Faults:
    """The scenario's faults, and the rig's own calls that time out, over one night."""

    def __init__(self, faults: Sequence[Fault], rig: Rig, seed: int) -> None:
        self._seed = seed
        hangs = rig.simulated.times_out if rig.simulated else {}
        always = [
            Fault(kind=FaultKind.TIMES_OUT, device=name, at_min=0.0, minutes=2 * _NIGHT_MIN, share=share)
            for name, share in hangs.items()
            if share > 0
        ]
        self._spells = [
            Spell(f"{kind}{index}.{k}", fault, begins)
            for kind, listed in (("", faults), ("rig", always))
            for index, fault in enumerate(listed)
            for k, begins in enumerate(_beginnings(fault, seed, index))
        ]
        self._befallen = {spell.fault.befalls for spell in self._spells}

    def active(self, kind: FaultKind, device: str | None, minute: float) -> Fault | None:
        """The fault of a kind that is on a device at a minute of the night."""
        for spell in self._spells:
            fault = spell.fault
            if fault.kind is kind and fault.befalls == device and spell.begins_min <= minute < spell.ends_min:
                return fault
        return None

    def hits(self, kind: FaultKind, device: str, minute: float, count: int) -> bool:
        """Whether a fault that befalls a share of the calls befalls this one."""
        fault = self.active(kind, device, minute)
        if fault is None:
            return False
        return fault.share >= 1 or generator(self._seed, "hits", kind, device, count).random() < fault.share

    def due(self, kind: FaultKind, device: str, minute: float, done: Sequence[str]) -> list[Spell]:
        """Those that have begun by now and are not yet done."""
        return [
            spell
            for spell in self._spells
            if spell.fault.kind is kind
            and spell.fault.befalls == device
            and spell.begins_min <= minute
            and spell.number not in done
        ]

    def stands_still_since(self, device: str, minute: float) -> float | None:
        """The minute at which a station stopped telling news; None while it does."""
        for spell in self._spells:
            stale = spell.fault.kind is FaultKind.STALE and spell.fault.befalls == device
            if stale and spell.begins_min <= minute < spell.ends_min:
                return spell.begins_min
        return None

    def begun_before(self, minute: float) -> list[str]:
        """The numbers of all that began before a minute."""
        return [spell.number for spell in self._spells if spell.begins_min < minute]

    def on_at(self, minute: float) -> list[Spell]:
        """All that last at a minute; the rig's own unreliable calls are none of the scenario's."""
        return [s for s in self._spells if s.begins_min <= minute < s.ends_min and s.number[0].isdigit()]

    def any_of(self, device: str) -> bool:
        """Whether anything at all can befall a device."""
        return device in self._befallen


def _beginnings(fault: Fault, seed: int, index: int) -> list[float]:
    if fault.at_min is not None:
        return [fault.at_min]
    assert fault.per_hour is not None
    rng, minute, found = generator(seed, "fault", index), 0.0, []
    while True:
        minute += float(rng.exponential(60.0 / fault.per_hour))
        if minute > _NIGHT_MIN:
            return found
        found.append(minute)
        minute += fault.minutes
