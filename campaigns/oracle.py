"""astropy as the oracle, with the earth rotation that it brings: never looked for on the network."""

from functools import cache

from astropy.utils import iers


@cache
def stay_offline() -> None:
    """Before astropy is asked for anything that depends on the Earth's rotation; done once a process."""
    iers.conf.auto_download = False
    iers.conf.auto_max_age = None
    iers.earth_orientation_table.set(iers.IERS_A.open(iers.IERS_A_FILE))
