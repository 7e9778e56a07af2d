"""Ledger: projects, what tonight is best spent on, frames with their verdicts, nights, hand over."""
