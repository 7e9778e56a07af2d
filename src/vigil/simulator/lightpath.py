"""What light passes on its way: the filter in the beam, the flat panel before the telescope."""

from vigil.simulator.above.light import OPEN_BAND, Light
from vigil.simulator.chip import Chip
from vigil.simulator.gear import Gear
from vigil.sky.angles import separation_deg
from vigil.sky.photometry import photons_s_cm2_nm

_PANEL_LEFT_AT, _AT_PANEL_DEG = 0.3, 2.0


def bands_of(gear: Gear, chip: Chip) -> tuple[tuple[float, float], ...]:
    """What the filter in the beam lets through: (centre, width) in nm."""
    rig, slot = gear.rig, gear.state.slot
    filters = rig.wheel.filters if rig.wheel and not chip.guides else []
    through = next((f for f in filters if f.slot in (slot, None)), None)
    if through is None:
        return OPEN_BAND
    return tuple((band.centre_nm, band.width_nm) for band in through.passbands)


def light_of(gear: Gear, chip: Chip) -> Light:
    return Light(
        chip.optics.area_cm2,
        gear.scenario.optics.throughput,
        bands_of(gear, chip),
        gear.scenario.sky.extinction_mag,
        gear.rig.site.height_m,
    )


def panel_share(gear: Gear, level: float) -> float:
    """Share of its full light that the panel gives at a step."""
    part = gear.rig.panel
    top = max(1, part.levels) if part else 1
    return float((level / top) ** gear.scenario.panel.gamma) if level > 0 else 0.0


def panel_full_e_s_px(gear: Gear, chip: Chip, binning: int) -> float:
    """Electrons a second in a pixel with the panel at its brightest."""
    effects, bands = gear.scenario, bands_of(gear, chip)
    through = sum(w * float(photons_s_cm2_nm(c)) for c, w in bands) / (100 * float(photons_s_cm2_nm(550.0)))
    speed = (5.0 / chip.optics.focal_ratio) ** 2
    area_um2 = (chip.optics.pixel_um * binning) ** 2
    return effects.panel.brightest_e_s * through * speed * area_um2


def panel_before(gear: Gear, looks: tuple[float, float]) -> bool:
    """Whether the flat panel stands before the telescope, and nothing else is seen: in the closed cover, laid
    on by hand while it is parked or left there, or on the wall at a stored position where `looks` (hour angle
    and declination) says that the telescope stands still."""
    rig, state = gear.rig, gear.state
    if rig.panel is None:
        return False
    in_cover = rig.cover is not None and state.shutters.get("cover", "closed") != "open"
    if rig.panel.position is not None:
        return state.panel_laid_on or (not in_cover and _is_at(gear, rig.panel.position, looks))
    return in_cover or state.panel_laid_on or (rig.cover is None and state.parked)


def panel_e_s_px(gear: Gear, chip: Chip, binning: int, looks: tuple[float, float] = (0.0, -90.0)) -> float:
    """Of the panel as it is now, where it stands before the telescope."""
    if gear.scenario.panel.left_on:
        return _PANEL_LEFT_AT * panel_full_e_s_px(gear, chip, binning)
    if not panel_before(gear, looks) or chip.guides:
        return 0.0
    return panel_share(gear, gear.state.panel_level) * panel_full_e_s_px(gear, chip, binning)


def _is_at(gear: Gear, position: str, looks: tuple[float, float]) -> bool:
    """Whether the telescope looks at the panel on the wall, and stands still."""
    mount = gear.rig.mount
    stored = next((p for p in mount.positions if p.name == position), None) if mount is not None else None
    if stored is None or gear.state.tracking:
        return False
    return float(separation_deg(*looks, stored.hour_angle_deg, stored.dec_deg)) < _AT_PANEL_DEG
