"""Flats & darks: what is there, what is missing, and taking it."""
