"""Calibration frames as images: averaged, judged, and applied to a light."""
