"""What a camera shows of the sky round the pole: its scale, its field, and what to expect of them."""

from vigil.documents.polar import CameraName
from vigil.documents.rig import Rig

_LEAST_FIELD_DEG, _NARROW_NM = 0.5, 40.0


def scale_of(rig: Rig, name: CameraName) -> float:
    """Arc-seconds an unbinned pixel. Raises ValueError where the rig has no such camera or doesn't say."""
    if name == "guide":
        if rig.guider is None:
            raise ValueError(f"{rig.name} has no guide camera: take the main one")
        if rig.guide_scale_arcsec_px is None:
            raise ValueError(f"{rig.name}: the guide scope's focal length isn't known")
        return rig.guide_scale_arcsec_px
    if not rig.frames_sky:
        raise ValueError(f"{rig.name} has no camera behind a telescope: take the guide camera")
    return rig.scale_arcsec_px()


def field_deg(rig: Rig, name: CameraName) -> tuple[float, float]:
    """(across, high). Raises ValueError."""
    scale = scale_of(rig, name)
    if name == "guide":
        assert rig.guider is not None, "it has a scale"
        rows, columns = rig.guider.rows, rig.guider.columns
    else:
        rows, columns = rig.field_px()
    return columns * scale / 3600, rows * scale / 3600


def look_through(rig: Rig, name: CameraName, wanted: str) -> str:
    """The filter: the one asked for, else the rig's for solving; "" where there is none. Raises KeyError."""
    if name != "main" or rig.wheel is None:
        return ""
    return rig.wheel.filter(wanted or rig.wheel.solve_through).name


def expected(rig: Rig, name: CameraName, wanted: str = "") -> list[str]:
    """What people should know before: a small field, a narrow filter. Raises ValueError and KeyError."""
    told = []
    across, high = field_deg(rig, name)
    if min(across, high) < _LEAST_FIELD_DEG:
        told.append(
            f"the field is {across:.2f}° × {high:.2f}°, under {_LEAST_FIELD_DEG:g}°: so near the pole it may "
            "show too few stars to be solved"
        )
    through = look_through(rig, name, wanted)
    if through and rig.wheel is not None and (width_nm := rig.wheel.filter(through).width_nm) <= _NARROW_NM:
        told.append(f"{through} lets {width_nm:g} nm through: few stars will show, a broad filter is better")
    return told
