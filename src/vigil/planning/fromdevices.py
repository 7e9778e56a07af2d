"""A rig made from what is connected now."""

from collections.abc import Mapping

from vigil.documents.devicekinds import DEVICE_KINDS
from vigil.documents.messages import DeviceReport
from vigil.documents.rig import Rig
from vigil.documents.rig.change import Path, path_of, value_at, with_values
from vigil.documents.store import DocumentError

_CONNECTED = ("ready", "busy")


def rig_of_what_is_connected(rig: Rig, reports: Mapping[str, DeviceReport]) -> Rig:
    """The rig without the devices that are not connected, with the values that the others report.

    Parts that are no device (telescope, reducer, site) stay; a value that can't be is left as it was.
    """
    values: dict[Path, object] = {}
    for name, part in ((kind.name, kind.part) for kind in DEVICE_KINDS.values()):
        report = reports.get(name)
        if name in rig.device_names and (report is None or report.lamp not in _CONNECTED):
            values[(part,)] = None
    made = with_values(rig, values)
    for report in reports.values():
        for text, told in report.figures.items():
            try:
                value_at(made, path_of(text))
                made = with_values(made, {path_of(text): told})
            except (DocumentError, KeyError):
                continue
    return made
