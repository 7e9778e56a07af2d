"""Time scales, coordinates, refraction, sun and moon, twilight: pure functions of arrays."""
