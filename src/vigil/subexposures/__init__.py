"""How long to expose each frame: pure."""
