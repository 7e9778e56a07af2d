"""Plate solving: which piece of sky an image shows."""
