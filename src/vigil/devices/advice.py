"""What to check when a device can't be reached or stops answering."""

_CABLE = "its power and its cable"
WHAT_TO_CHECK: dict[str, str] = {
    "camera": f"{_CABLE}; a camera hanging on the rig's USB hub needs the hub's own supply",
    "guide camera": f"{_CABLE}; long USB cables fail in the cold",
    "filter wheel": f"{_CABLE}, and whether it turned when it was switched on",
    "focuser": f"{_CABLE}, and whether the drawtube's lock screw is loose",
    "mount": f"{_CABLE}, and whether another program holds its port",
    "rotator": f"{_CABLE}, and whether cables wind up round the camera",
    "flat panel": f"{_CABLE}, and whether its switch is on",
    "cover": f"{_CABLE}, and whether it is frozen shut",
    "roof": "its controller's supply, and whether its hand switch stands on remote",
    "weather station": "its supply and its network or serial line",
    "safety sensor": "its supply and its network or serial line",
    "heaters": "the controller's supply and cable",
    "power": "the power box's own supply and cable",
}
