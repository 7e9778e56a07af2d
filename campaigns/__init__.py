"""Campaigns: many fields, nights, instants; whole by `./dev figures`, a small sample in the tests."""
