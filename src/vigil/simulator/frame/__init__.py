"""A frame as the camera would give it: scene in, pixels out; no clock, no devices."""
