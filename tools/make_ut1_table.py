"""Write src/vigil/sky/ut1_table.py from the IERS data that astropy ships."""

from pathlib import Path

import numpy as np
from astropy.utils import iers

FIRST_MJD = 57754  # 2017-01-01, after the last leap second
STEP_DAYS = 20

iers.conf.auto_download = False
table = iers.IERS_A.open(iers.IERS_A_FILE)
mjd = np.asarray(table["MJD"].value)
dut1 = np.asarray(table["UT1_UTC"].value)
known = np.isfinite(dut1)
last = mjd[known].max()
rows = np.interp(np.arange(FIRST_MJD, last, STEP_DAYS), mjd[known], dut1[known])
lines = [
    '"""UT1−UTC in seconds, every STEP_DAYS days from FIRST_MJD; the last year is predicted.',
    "",
    "Source: IERS Bulletin A (finals2000A), public; made by tools/make_ut1_table.py.",
    '"""',
    "",
    f"FIRST_MJD = {FIRST_MJD}",
    f"STEP_DAYS = {STEP_DAYS}",
    "# fmt: off",
    "UT1_UTC_S = (",
]
for start in range(0, len(rows), 10):
    lines.append("    " + " ".join(f"{v:.3f}," for v in rows[start : start + 10]))
lines += [")", "# fmt: on"]
Path("src/vigil/sky/ut1_table.py").write_text("\n".join(lines) + "\n")
