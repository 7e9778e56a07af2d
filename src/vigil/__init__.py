"""Vigil: plans, frames and runs automated deep-sky imaging nights."""

__version__ = "0.1.0"
