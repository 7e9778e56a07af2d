"""Autofocus: the V-curve, its fit, its judgement, and where to measure next."""
