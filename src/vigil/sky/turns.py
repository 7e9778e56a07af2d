"""Position angles of a camera: half a turn is the same frame."""

import numpy as np


def turn_to_deg(from_deg: float, to_deg: float) -> float:
    """The shortest way (−90…90) from one position angle to another or to its opposite; positive from north
    through east, which is counter-clockwise as the sky is seen."""
    return float((to_deg - from_deg + 90.0) % 180.0 - 90.0)


def seen_from_behind(turn_deg: float, mirrored: bool) -> str:
    """Which way a person behind the camera, looking towards the sky along the telescope, turns it so that
    its position angle grows by a positive `turn_deg`: the sky is before both, so the camera turns as the
    angle does, counter-clockwise; an odd number of mirrors reverses that."""
    return "clockwise" if (turn_deg < 0) != mirrored else "counter-clockwise"


def nearest_of(angle_deg: float, to_deg: float) -> float:
    """`angle_deg` or its opposite, whichever is nearer to another, 0…360."""
    return float(np.mod(to_deg + turn_to_deg(to_deg, angle_deg), 360.0))
