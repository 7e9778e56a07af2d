"""Devices: one async protocol a kind, states, errors, and the supervision around them."""
