"""Frames on the screen: pyramid, look-up table, view, histogram."""
