"""Rigs of earlier schemas."""

from typing import Any

_READ_NOISE_E = 1.6
_COOLER = ("set_point_c", "minutes_to_cool", "warm_to_c", "warm_minutes_limit")


def from_schema_1(data: dict[str, Any]) -> dict[str, Any]:
    """Schema 1 knew one gain, one filter set, one passband a filter and a cooled camera only."""
    return {
        **data,
        "schema": 2,
        **({"camera": _camera(data["camera"])} if isinstance(data.get("camera"), dict) else {}),
        **({"wheel": _wheel(data["wheel"])} if isinstance(data.get("wheel"), dict) else {}),
    }


def _camera(old: dict[str, Any]) -> dict[str, Any]:
    new = {k: v for k, v in old.items() if k not in (*_COOLER, "gain", "offset", "electrons_per_adu")}
    gain, electrons = old.get("gain", 100), old.get("electrons_per_adu", 0.8)
    full_scale = old.get("full_scale_adu", 65535)
    point = {
        "gain": gain,
        "electrons_per_adu": electrons,
        "read_noise_e": _READ_NOISE_E,
        "full_well_e": electrons * full_scale,
    }
    new |= {
        "readout_modes": [{"name": "normal", "gains": [point]}],
        "readout_mode": "normal",
        "lights": {"gain": gain, "offset": old.get("offset", 50)},
        "cooler": {k: old[k] for k in _COOLER if k in old},
    }
    if "download_s" in old:
        new["download_s"] = [old["download_s"]]
    return new


def _wheel(old: dict[str, Any]) -> dict[str, Any]:
    new = {k: v for k, v in old.items() if k not in ("filters", "focus_through", "solve_through")}
    filters = []
    for each in old.get("filters", []):
        bands = {k: each[k] for k in ("centre_nm", "width_nm") if k in each}
        filters.append({**{k: v for k, v in each.items() if k not in bands}, "passbands": [bands]})
    through = {k: old[k] for k in ("focus_through", "solve_through") if k in old}
    return {**new, "sets": [{"name": "usual", "filters": filters, **through}], "in_use": "usual"}
