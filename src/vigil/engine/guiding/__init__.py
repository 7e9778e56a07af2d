"""Guiding with real devices: the eye, the calibration, the loop."""
