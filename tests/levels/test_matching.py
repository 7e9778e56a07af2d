"""Coverage: rules one by one, and all of them against a slow and obvious reading of the same rules."""

from dataclasses import replace
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import pytest

from campaigns import coverage
from vigil.levels.matching import Cover, Made, Wanted, cover

AT = datetime(2027, 1, 12, 22, tzinfo=UTC)
LIGHT = Made(
    "light", "IC 405", "Ha", 300.0, 100, 20, 1, -10.0, 30.0, 6000, "Robin 9", "Heron, 480 mm, Robin 9", AT
)  # fmt: skip
FEW = Wanted(darks=2, flats=2, dark_flats=1, biases=1)


def made(kind: Any, count: int = 2, **more: Any) -> list[Made]:
    usual = {"flat": {"exposure_s": 2.0}, "dark flat": {"exposure_s": 2.0}, "bias": {"exposure_s": 0.001}}
    filters = {} if kind == "flat" else {"filter": ""}
    return [replace(LIGHT, kind=kind, target="", **{**filters, **usual.get(kind, {}), **more})] * count


def whole() -> list[Made]:
    return [LIGHT, *made("dark"), *made("flat"), *made("dark flat"), *made("bias")]


def states(frames: list[Made], wanted: Wanted = FEW) -> list[str]:
    (found,) = cover(frames, wanted)
    return [s.state.value for s in (found.dark, found.flat, found.dark_flat, found.bias)]


def test_a_whole_set_covers_its_lights() -> None:
    (found,) = cover([*whole(), LIGHT], FEW)
    assert found.frames == 2 and states(whole()) == ["ok"] * 4
    assert states([LIGHT]) == ["missing"] * 4
    assert states([LIGHT, *made("dark", 1), *made("flat", 1)])[:2] == ["few", "few"]
    assert cover(made("dark")) == [] and states([LIGHT], Wanted(0, 0, 0, 0)) == ["ok"] * 4


@pytest.mark.parametrize(
    ("other", "state", "said"),
    [
        ({"exposure_s": 180.0}, "missing", "no dark of 300 s"),
        ({"gain": 0}, "missing", "no dark of 300 s"),
        ({"offset": 50}, "missing", "no dark"),
        ({"binning": 2}, "missing", "no dark"),
        ({"camera": "Wren 2"}, "missing", "no dark"),
        ({"temperature_c": -5.0}, "missing", "2 at −5 °C only"),
        ({"temperature_c": -10.8}, "ok", ""),
        ({"gain": None, "offset": None, "temperature_c": None}, "ok", ""),
        ({"exposure_s": 301.0}, "ok", ""),
        ({"at": AT - timedelta(days=900)}, "stale", "over 2 years old"),
        ({"filter": "L", "rotator_deg": 200.0, "focus_position": 1}, "ok", ""),
    ],
)
def test_darks(other: dict[str, Any], state: str, said: str) -> None:
    (found,) = cover([LIGHT, *made("dark", **other)], FEW)
    assert (found.dark.state, said in found.dark.reason) == (Cover(state), True), found.dark


@pytest.mark.parametrize(
    ("other", "state", "said"),
    [
        ({"filter": "L"}, "missing", "no flat through Ha"),
        ({"binning": 2}, "missing", "no flat through Ha, binning 1"),
        ({"gain": 0, "offset": 5, "temperature_c": 10.0}, "ok", ""),
        ({"rotator_deg": 211.0}, "ok", ""),
        ({"rotator_deg": 42.0}, "stale", "turned by 12° since"),
        ({"focus_position": 6900}, "stale", "focus is 900 steps away"),
        ({"train": "Heron, 360 mm, Robin 9"}, "stale", "taken with Heron, 360 mm"),
        ({"rotator_deg": None, "focus_position": None, "train": ""}, "ok", ""),
        ({"at": AT - timedelta(days=400)}, "ok", ""),
    ],
)
def test_flats(other: dict[str, Any], state: str, said: str) -> None:
    (found,) = cover([LIGHT, *made("flat", **other)], FEW)
    assert (found.flat.state, said in found.flat.reason) == (Cover(state), True), found.flat


def test_a_train_changed_and_changed_back_makes_flats_stale() -> None:
    flats = made("flat", at=AT - timedelta(days=20))
    between = replace(LIGHT, train="Heron, 360 mm, Robin 9", target="M 31", at=AT - timedelta(days=10))
    before = replace(between, at=AT - timedelta(days=30))
    found = {c.light.target: c for c in cover([LIGHT, *flats, between], FEW)}
    assert found["IC 405"].flat.reason == "the train was changed on 2027-01-02"
    found = {c.light.target: c for c in cover([LIGHT, *flats, before], FEW)}
    assert found["IC 405"].flat.state is Cover.OK


def test_dark_flats_go_by_the_flats() -> None:
    longer = made("flat", exposure_s=4.0)
    assert states([LIGHT, *made("flat"), *made("dark flat")])[2] == "ok"
    (found,) = cover([LIGHT, *made("flat"), *longer, *made("dark flat")], FEW)
    assert found.dark_flat.state is Cover.MISSING and "no dark flat of 4 s" in found.dark_flat.reason
    (found,) = cover([LIGHT, *made("dark flat")], FEW)
    assert "no flats that they would match" in found.dark_flat.reason


def test_lights_are_grouped_by_what_they_want() -> None:
    lights = [
        replace(LIGHT, **other)
        for other in (
            {}, {"rotator_deg": 31.0}, {"rotator_deg": 209.5}, {"filter": "L"}, {"temperature_c": -9.6},
            {"temperature_c": -5.0}, {"rotator_deg": 75.0},
        )
    ]  # fmt: skip
    assert [c.frames for c in cover(lights)] == [4, 1, 1, 1]


def test_against_a_slow_and_obvious_reading_of_the_rules() -> None:
    """Random libraries: what a person would count with a finger on each frame."""
    wanted = Wanted(darks=3, flats=3, dark_flats=2, biases=3)
    for seed in range(200):
        rng = np.random.default_rng(seed)

        def pick(*values: Any, rng: np.random.Generator = rng) -> Any:
            return values[int(rng.integers(len(values)))]

        lights = [
            replace(
                LIGHT, filter=pick("Ha", "L"), exposure_s=pick(300.0, 60.0), gain=pick(100, 0), target=name
            )
            for name in ("A", "B")
        ]
        others = [
            replace(
                LIGHT, kind=pick("dark", "flat", "dark flat", "bias"), target="", filter=pick("Ha", "L"),
                exposure_s=pick(300.0, 60.0, 2.0, 4.0), gain=pick(100, 0, None), binning=pick(1, 1, 2),
                temperature_c=pick(-10.0, -10.4, -5.0), rotator_deg=pick(30.0, 210.0, 75.0),
            )
            for _ in range(40)
        ]  # fmt: skip
        for found in cover([*lights, *others], wanted):
            light = found.light

            def gain_fits(o: Made, gain: int | None) -> bool:
                return o.gain is None or gain is None or o.gain == gain

            darks = [
                o for o in others
                if o.kind == "dark" and o.exposure_s == light.exposure_s and gain_fits(o, light.gain)
                and o.binning == 1 and o.temperature_c in (-10.0, -10.4)
            ]  # fmt: skip
            flats = [
                o for o in others
                if o.kind == "flat" and o.filter == light.filter and o.binning == 1 and o.rotator_deg != 75.0
            ]  # fmt: skip
            biases = [o for o in others if o.kind == "bias" and gain_fits(o, light.gain) and o.binning == 1]
            assert found.dark.have == len(darks) and found.bias.have == len(biases)
            assert found.flat.have == len(flats) or found.flat.state is Cover.STALE
            assert (found.dark.state is Cover.OK) == (len(darks) >= 3)
            assert (found.flat.state is Cover.OK) == (len(flats) >= 3)
            fewest = min(
                (
                    sum(
                        o.kind == "dark flat" and o.exposure_s == f.exposure_s and gain_fits(o, f.gain)
                        and o.binning == 1
                        and abs((o.temperature_c or 0) - (f.temperature_c or 0)) <= 1
                        for o in others
                    )
                    for f in flats
                ),
                default=0,
            )  # fmt: skip
            assert (found.dark_flat.state is Cover.OK) <= (fewest >= 2)


def test_a_sample_of_random_libraries_against_a_slow_oracle() -> None:
    told = coverage.summarise([coverage.one_library(n) for n in range(0, 1000, 25)])
    assert told["checked"] > 500 and told["wrong"] == []


def test_what_isn_t_wanted_is_never_stale() -> None:
    """Also where flats of another angle are there."""
    light = Made("light", "M 1", "L", 60.0, rotator_deg=0.0)
    flat = Made("flat", "", "L", 1.0, rotator_deg=50.0)
    (found,) = cover([light, flat], Wanted(flats=0))
    assert found.flat.state is Cover.OK and found.flat.reason == "not wanted"
