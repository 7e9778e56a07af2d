"""A direction beside another, for small ways: dithers, richer fields."""

from vigil.sky.tangent import deproject


def beside(ra_deg: float, dec_deg: float, east_arcsec: float, north_arcsec: float) -> tuple[float, float]:
    """The direction that lies beside another."""
    ra, dec = deproject(east_arcsec / 3600, north_arcsec / 3600, ra_deg, dec_deg)
    return float(ra) % 360, float(dec)
