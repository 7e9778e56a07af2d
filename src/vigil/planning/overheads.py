"""How long things take that are not exposures, where nothing better is known (seconds)."""

SLEW_S = 40.0
CENTRE_S = 60.0
FILTER_S = 15.0
FLIP_S = 90.0
DITHER_S = 15.0
FOCUS_FRAMES = 10
FOCUS_FRAME_S = 17.0
FOCUS_S = FOCUS_FRAMES * FOCUS_FRAME_S
