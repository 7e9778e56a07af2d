"""Devices worked by hand: through the arbiter, and during a night only in a hold."""
