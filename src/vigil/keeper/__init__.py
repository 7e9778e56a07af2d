"""The process that owns the devices and runs the night; window and command line are its clients."""
