"""The ledger: nights, events, frames, in SQLite."""
