"""The catalogue against itself, and what people call things."""

import math
import re

import pytest

from vigil.files.deepsky import all_objects, entry_named, find_object
from vigil.files.search import search

KINDS_BY_NAME = {
    r"LDN \d": {"dark nebula"},
    r"B \d": {"dark nebula"},
    r"SNR ": {"supernova remnant"},
    r"HCG ": {"galaxy group"},
    r"Cr \d|Mel \d": {"open cluster", "star association"},
    r"PGC |UGC ": {"galaxy"},
}


def test_kinds_agree_with_the_lists_that_names_come_from() -> None:
    for entry in all_objects():
        for pattern, kinds in KINDS_BY_NAME.items():
            if re.match(pattern, entry.name):
                assert entry.kind in kinds, entry
        if entry.kind == "dark nebula":
            assert entry.mag is None, f"{entry.name}: what is dark has no magnitude"


def test_sizes_and_magnitudes_agree_with_surface_brightness() -> None:
    for entry in all_objects():
        assert 0 <= entry.ra_deg < 360 and -90 <= entry.dec_deg <= 90
        assert entry.minor_arcmin <= entry.major_arcmin + 1e-6, entry
        known = entry.mag is not None and entry.surface_brightness_mag is not None and entry.major_arcmin
        if entry.kind == "galaxy" and known and not entry.showpiece:
            minor = entry.minor_arcmin or entry.major_arcmin
            computed = entry.mag + 2.5 * math.log10(math.pi / 4 * entry.major_arcmin * minor * 3600)
            assert abs(computed - entry.surface_brightness_mag) < 3.5, entry


def test_every_name_is_one_objects() -> None:
    owners: dict[str, str] = {}
    for entry in all_objects():
        for name in (entry.name, *entry.aliases):
            assert owners.setdefault(name, entry.name) == entry.name, name
    for entry in all_objects():
        if entry.part_of:
            assert find_object(entry.part_of).part_of == "", f"{entry.name} is part of a part"


@pytest.mark.parametrize(
    ("said", "meant"),
    [
        ("NGC 2244", "NGC 2239"), ("IC 2118", "NGC 1909"), ("Sh2-155", "C 9"), ("Sharpless 155", "C 9"),
        ("Sh 2-155", "C 9"), ("Abell 21", "Sh2-274"), ("heart", "IC 1805"), ("soul neb", "IC 1848"),
        ("jellyfish", "IC 443"), ("pacman", "NGC 281"), ("wizard", "NGC 7380"),
        ("elephants trunk", "IC 1396"), ("seagull", "IC 2177"), ("tadpoles", "IC 410"),
        ("medusa neb", "Sh2-274"), ("spaghetti", "Sh2-240"), ("Simeis 147", "Sh2-240"),
        ("flame", "NGC 2024"), ("horsehead", "B 33"), ("rosette", "NGC 2238"), ("cave", "C 9"),
        ("cone nebula", "NGC 2264"), ("bubble", "NGC 7635"), ("iris", "NGC 7023"), ("pelican", "IC 5070"),
        ("north america", "NGC 7000"), ("crescent", "NGC 6888"), ("tulip", "Sh2-101"), ("sadr", "IC 1318"),
        ("california", "NGC 1499"), ("pleiades", "M 45"), ("seven sisters", "M 45"),
        ("messier 42", "M 42"), ("Caldwell 49", "NGC 2238"), ("barnard 33", "B 33"),
        ("western veil", "NGC 6960"), ("double cluster", "C 14"), ("running man", "NGC 1977"),
        ("ghost of cass", "IC 63"), ("lobster claw", "Sh2-157"), ("lion", "Sh2-132"),
        ("squid galaxy", "M 77"), ("needle", "NGC 4565"), ("stephan", "HCG 92"),
        ("barnard's loop", "Sh2-276"), ("witch head", "NGC 1909"),
    ],
)  # fmt: skip
def test_what_people_call_things(said: str, meant: str) -> None:
    assert search(said)[0].name == meant


@pytest.mark.parametrize("unknown", ["NGC 22999", "M 111", "IC 9999", "Sh2-400", "Abell 999"])
def test_a_neighbours_number_is_never_offered(unknown: str) -> None:
    assert search(unknown) == [] and entry_named(unknown) is None


def test_a_misspelt_list_keeps_its_number() -> None:
    assert [e.name for e in search("NCG 2244")] == ["NGC 2239"]
