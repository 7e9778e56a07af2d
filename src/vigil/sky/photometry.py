"""From magnitudes to photons, and what the air takes away."""

import numpy as np

from vigil.sky.instants import Floats

V_NM = 550.0
# effective wavelength (nm) and flux of a magnitude 0 star (10⁻¹¹ erg cm⁻² s⁻¹ Å⁻¹) in U, B, V, R, I:
# Bessell, Castelli & Plez 1998, A&A 333, 231, table A2
_BANDS_NM = (366.0, 438.0, 545.0, 641.0, 798.0)
_FLUX = (417.5, 632.0, 363.1, 217.7, 112.6)
_ERG_NM = 1.98645e-9
"""Energy of a photon times its wavelength, hc, in erg nm."""
_OZONE_MAG = 0.016


def photons_s_cm2_nm(wavelength_nm: float | Floats) -> Floats:
    """Photons of a magnitude 0 star above the air, a second, cm² and nm: f λ / hc between the bands'
    effective wavelengths, straight lines in between, for a star of colour 0 in every band."""
    rates = [10 * flux * 1e-11 * nm / _ERG_NM for nm, flux in zip(_BANDS_NM, _FLUX, strict=True)]
    return np.asarray(np.interp(wavelength_nm, _BANDS_NM, rates))


def rayleigh_mag(wavelength_nm: float | Floats, height_m: float) -> Floats:
    """Molecular extinction an air mass: Hayes & Latham 1975, ApJ 197, 593, equation 2."""
    um = np.asarray(wavelength_nm) / 1000.0
    refraction = 0.23465 + 107.6 / (146 - um**-2) + 0.93161 / (41 - um**-2)
    return np.asarray(9.4977e-3 * um**-4 * refraction**2 * np.exp(-height_m / 7996.0))


def extinction_mag(wavelength_nm: float | Floats, extinction_v_mag: float, height_m: float) -> Floats:
    """Magnitudes an air mass: molecules as they are at this height, ozone 0.016 (flat), and as much dust,
    which goes as λ^−0.8 (Hayes & Latham 1975), as makes the wanted sum in V. 0 where none is wanted; with
    less wanted than clean air has, everything is scaled down."""
    clean_v = float(rayleigh_mag(V_NM, height_m)) + _OZONE_MAG
    clean = rayleigh_mag(wavelength_nm, height_m) + _OZONE_MAG
    if extinction_v_mag < clean_v:
        return np.asarray(clean * extinction_v_mag / clean_v)
    dust = (extinction_v_mag - clean_v) * (np.asarray(wavelength_nm) / V_NM) ** -0.8
    return np.asarray(clean + dust)
