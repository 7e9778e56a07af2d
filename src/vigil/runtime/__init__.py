"""Time and heavy work: the clocks, the virtual event loop, the workshop of worker processes."""
