"""What a part begins with when it is added to a rig: common values, to be put right at once."""

from typing import Any

_GAIN = {"gain": 100, "electrons_per_adu": 0.8, "read_noise_e": 1.6, "full_well_e": 50000}
_PASSBAND = {"centre_nm": 550, "width_nm": 300}
_FILTER = {"name": "L", "letter": "L", "slot": 1, "passbands": [_PASSBAND]}
_SET = {"name": "usual", "filters": [_FILTER], "focus_through": "L", "solve_through": "L"}
_BEGINNINGS: dict[str, dict[str, Any]] = {
    "telescope": {"focal_length_mm": 500, "aperture_mm": 80},
    "reducer": {},
    "guider": {"focal_length_mm": 180},
    "rotator": {},
    "wheel": {"slots": 7, "sets": [_SET], "in_use": "usual"},
    "focuser": {"um_per_step": 4.0},
    "camera": {
        "columns": 3000,
        "rows": 2000,
        "pixel_um": 3.8,
        "readout_modes": [{"name": "normal", "gains": [_GAIN]}],
        "readout_mode": "normal",
        "cooler": {},
    },
    "mount": {"flip": {"latest_min": 15}},
    "panel": {},
    "cover": {},
    "roof": {},
    "weather": {},
    "safety": {},
    "heaters": {"outputs": [{"name": "telescope"}]},
    "power": {"outlets": [{"name": "outlet 1"}]},
}


def new_part(key: str) -> dict[str, Any]:
    """A part's first values."""
    return {"name": f"my {key if key != 'wheel' else 'filter wheel'}", **_BEGINNINGS[key]}
