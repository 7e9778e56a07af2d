"""Flats, darks and bias frames."""
