"""How devices fail."""


class DeviceError(RuntimeError):
    """Base: the message says which device, what was asked, and what went wrong."""


class NotConnected(DeviceError):
    """The device has no connection."""


class DeviceTimeout(DeviceError):
    """It did not get there in time; the message gives what was expected and the last value seen."""


class DeviceFault(DeviceError):
    """The device reports that something is broken."""


class Refused(DeviceError):
    """The device, or Vigil for it, won't do this, with the reason."""


class NotCapable(DeviceError):
    """The device has no such ability."""
