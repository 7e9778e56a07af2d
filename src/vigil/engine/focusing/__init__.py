"""Focusing with real devices: runs, finding focus, backlash, offsets. Nights and benches use the same."""
