"""Flats, darks and what they fit: levels searched, frames judged and matched."""
