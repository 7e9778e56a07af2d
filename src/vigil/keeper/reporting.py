"""A device as clients are told of it."""

from dataclasses import asdict, is_dataclass
from datetime import datetime
from enum import Enum
from typing import Any

from vigil.devices.supervised import Supervised
from vigil.documents.messages import DeviceReport

_DECIMALS = 4


def report_of(device: Supervised[Any, Any]) -> DeviceReport:
    """Lamp, state and what it said of itself, as plain values."""
    capabilities = device.capabilities
    state = asdict(device.state) if is_dataclass(device.state) and not isinstance(device.state, type) else {}
    return DeviceReport(
        name=device.name,
        lamp=device.lamp,
        doing=device.doing,
        fault=device.fault,
        advice=device.advice,
        state={key: _plain(value) for key, value in state.items()},
        cannot=dict(capabilities.cannot),
        figures=dict(capabilities.figures) if device.connected else {},
        clock_off_s=capabilities.clock_off_s if device.connected else None,
    )


def _plain(value: Any) -> Any:
    if isinstance(value, datetime):
        return value.isoformat()
    if isinstance(value, Enum):
        return value.value
    if isinstance(value, float):
        return round(value, _DECIMALS)
    if isinstance(value, dict):
        return {k: _plain(v) for k, v in value.items()}
    return value
