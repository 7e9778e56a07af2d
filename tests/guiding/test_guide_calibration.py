"""The guide calibration, out of moves with known rates, angles, drift and play."""

import math
from collections.abc import Iterator

import numpy as np
import pytest

from vigil.guiding.calibration import (
    SIDEREAL_ARCSEC_S,
    GuideCalibration,
    Move,
    NoCalibration,
    calibration_of,
    judge,
)

RATE, SCALE = 0.5 * SIDEREAL_ARCSEC_S, 3.0


def moves(
    angle_deg: float = 30.0,
    mirrored: bool = False,
    dec_deg: float = 0.0,
    play_arcsec: float = 8.0,
    noise_arcsec: float = 0.3,
    seed: int = 1,
    skew_deg: float = 0.0,
    weak: float = 1.0,
) -> list[Move]:
    """A drifting star, the play taken up northward before."""
    rng, pulse_s = np.random.default_rng(seed), 1.2
    west = np.array([math.cos(math.radians(angle_deg)), math.sin(math.radians(angle_deg))])
    turn = math.radians(angle_deg + (-90 if mirrored else 90) + skew_deg)
    north = np.array([math.cos(turn), math.sin(turn)])

    def legs() -> Iterator[tuple[str, float]]:
        yield "west", 0.0
        for direction, count in (("west", 8), ("east", 8), ("north", 8), ("south", 10)):
            for _ in range(count):
                yield direction, pulse_s

    found, hour, motor, axis, at = [], 0.0, 0.0, 0.0, 0.0
    for direction, length in legs():
        at += length + 2
        hour += length * ((direction == "west") - (direction == "east"))
        motor += length * ((direction == "north") - (direction == "south"))
        axis = min(max(axis, motor), motor + play_arcsec / RATE)
        arcsec = weak * RATE * math.cos(math.radians(dec_deg)) * hour * west + RATE * axis * north
        arcsec = arcsec + 0.03 * at * np.array([1.0, -0.5]) + rng.normal(0, noise_arcsec, 2)
        found.append(Move(direction, length, 500 + arcsec[0] / SCALE, 400 + arcsec[1] / SCALE, at))  # type: ignore[arg-type]
    return found


@pytest.mark.parametrize("mirrored", [False, True])
@pytest.mark.parametrize(("angle_deg", "dec_deg"), [(30.0, 0.0), (200.0, 45.0), (355.0, -20.0)])
def test_angles_rates_and_play_come_out(mirrored: bool, angle_deg: float, dec_deg: float) -> None:
    found = calibration_of(moves(angle_deg, mirrored, dec_deg), dec_deg)
    assert abs((found.ra.angle_deg - angle_deg + 180) % 360 - 180) < 1
    assert found.ra.rate_px_s * SCALE == pytest.approx(RATE * math.cos(math.radians(dec_deg)), rel=0.02)
    assert found.dec.rate_px_s * SCALE == pytest.approx(RATE, rel=0.02)
    assert abs(found.square_off_deg) < 1 and found.mirrored == mirrored
    assert found.backlash_s * RATE == pytest.approx(8.0, rel=0.1)
    assert abs(found.backlash_s * RATE - 8.0) < 4 * found.backlash_error_s * RATE
    assert judge(found, SCALE, 0.5).good


def test_a_shift_is_told_on_the_sky_and_back() -> None:
    found = calibration_of(moves(noise_arcsec=0.001), 0.0)
    pulse_west = found.ra.vector * 1.0
    ra, dec = found.sky_arcsec(*pulse_west, SCALE)
    assert ra == pytest.approx(-RATE, rel=1e-3) and dec == pytest.approx(0.0, abs=0.01)
    assert found.pixels(ra, dec, SCALE) == pytest.approx(tuple(pulse_west), abs=1e-6)


def test_it_serves_elsewhere_after_a_flip_and_with_the_camera_turned() -> None:
    found = calibration_of(moves(dec_deg=0.0), 0.0, "west", rotator_deg=10.0)
    there = found.at_declination(60.0)
    assert there.ra.rate_px_s == pytest.approx(found.ra.rate_px_s / 2)
    assert there.dec == found.dec
    flipped = found.on_side("east")
    assert (flipped.ra.angle_deg - found.ra.angle_deg) % 360 == pytest.approx(180)
    assert (flipped.dec.angle_deg - found.dec.angle_deg) % 360 == pytest.approx(180)
    back = flipped.on_side("west")
    assert back.ra.angle_deg == pytest.approx(found.ra.angle_deg) and found.on_side("") == found
    assert found.on_side("east", dec_turns_back=True).dec == found.dec
    turned = found.turned_to(40.0)
    assert abs((turned.ra.angle_deg - found.ra.angle_deg + 180) % 360 - 180) == pytest.approx(30)
    assert turned.mirrored == found.mirrored
    mirrored = calibration_of(moves(mirrored=True), 0.0, rotator_deg=10.0).turned_to(40.0)
    first = calibration_of(moves(mirrored=True), 0.0)
    assert (mirrored.ra.angle_deg - first.ra.angle_deg) % 360 == pytest.approx(
        (found.ra.angle_deg - turned.ra.angle_deg) % 360
    )


def words(found: GuideCalibration) -> str:
    return " ".join(judge(found, SCALE, 0.5).words)


def test_what_is_wrong_with_it_is_said() -> None:
    skewed = calibration_of(moves(skew_deg=25.0), 0.0)
    assert not judge(skewed, SCALE, 0.5).good and "115° apart" in words(skewed)
    weak = calibration_of(moves(weak=0.5), 0.0)
    assert "right ascension moves 1.25 px/s, 2.51 were to be expected" in words(weak)
    wild = calibration_of(moves(noise_arcsec=10.5), 0.0)
    assert not judge(wild, SCALE, 0.5).good
    assert "nearer to 0° is more exact" in words(calibration_of(moves(dec_deg=70.0), 70.0))
    assert "declination loses 7.7″" in words(calibration_of(moves(), 0.0))
    assert "square, straight, and as fast as predicted" in words(calibration_of(moves(play_arcsec=0.0), 0.0))


def test_a_mount_that_does_not_move_is_no_calibration() -> None:
    still = [
        Move(m.direction, m.pulse_s, 500.0, 400.0 + 0.1 * (k % 3), m.at_s) for k, m in enumerate(moves())
    ]
    with pytest.raises(NoCalibration, match="does the mount take corrections"):
        calibration_of(still, 0.0)
    with pytest.raises(NoCalibration, match="at least 4 moves each way"):
        calibration_of(moves()[:20], 0.0)
