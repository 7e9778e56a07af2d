"""What really is, under the sim observatory: each effect switched and set in one document.

The rig says what its owner believes; the scenario says what sky, air and gear do. Only the simulator acts on
it: nothing in a night reads it. Zero or `false` switches an effect off; an empty value is drawn by the seed.
"""

from vigil.documents.scenario.fault import Fault, FaultKind
from vigil.documents.scenario.scenario import Scenario

__all__ = ["Fault", "FaultKind", "Scenario"]
