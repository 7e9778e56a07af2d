"""Tune: one bench at a time."""
