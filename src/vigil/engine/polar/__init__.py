"""The polar axis measured and mended: frames and turns, adjusters, drift."""
