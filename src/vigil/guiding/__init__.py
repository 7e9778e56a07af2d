"""Guiding: stars, their places, calibration, control laws, metrics, study. Pure."""
