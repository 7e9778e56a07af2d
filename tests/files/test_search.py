"""Search by name, spelling forgiven."""

import pytest

from vigil.files.search import search


@pytest.mark.parametrize(
    ("typed", "name"),
    [
        ("m 31", "M 31"),
        ("ic405", "IC 405"),
        ("IC 0405", "IC 405"),
        ("flaming star", "IC 405"),
        ("flming star", "IC 405"),
        ("horshead", "B 33"),
        ("caliphornia", "NGC 1499"),
        ("andromida", "M 31"),
        ("NCG 1499", "NGC 1499"),
        ("rosete", "NGC 2238"),
    ],
)
def test_the_first_found_is_the_one_meant(typed: str, name: str) -> None:
    assert search(typed)[0].name == name


def test_shorter_names_come_first_and_once() -> None:
    found = [entry.name for entry in search("M 1")]
    assert found[0] == "M 1" and len(found) == len(set(found)) <= 60
    assert search("") == [] and search("qqqqqqqqq") == [] and search("xq") == []
