"""Where a mount's polar axis points, and how to bring it to the pole: out of solved frames, or out of
drift."""
