"""The scenarios that ship with Vigil."""

from vigil.documents.scenario.scenario import Scenario
from vigil.documents.shippedscenarios import path_of_shipped
from vigil.documents.store import load


def load_shipped(name: str) -> Scenario:
    """Raises DocumentError, KeyError."""
    path = path_of_shipped(name)
    if path is None:
        raise KeyError(name)
    return load(Scenario, path)
