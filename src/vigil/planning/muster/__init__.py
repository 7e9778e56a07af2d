"""Muster: all that is wrong or doubtful with a rig, with reason, numbers, and where to change it."""

from vigil.documents.rig import Rig
from vigil.planning.muster import beside, camera, devices, filters, focus, mount, optics, site
from vigil.planning.muster.finding import Finding, Known, Remedy

__all__ = ["Finding", "Known", "Remedy", "muster"]

_RULES = (optics.findings, camera.findings, filters.findings, focus.findings, mount.findings, beside.findings)


def muster(rig: Rig, known: Known | None = None) -> list[Finding]:
    """Everything found, faults before doubts, else in the document's order; empty for a clean rig."""
    known = known or Known()
    found = [f for rule in (*_RULES, site.findings, devices.findings) for f in rule(rig, known)]
    return sorted(found, key=lambda f: f.doubt)
