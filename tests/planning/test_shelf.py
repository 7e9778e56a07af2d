"""Framings, panels into plan blocks, and the shelf as CSV."""

import pytest

from campaigns.demo import demo_rig
from vigil.documents.plan import ExposureLine
from vigil.documents.shelf import Framed, Framing, PanelWish, Shelf
from vigil.documents.store import DocumentError, dump, parse
from vigil.planning.framing import (
    COPIED,
    blocks_of,
    copied,
    cost_of,
    disagreement,
    mosaic_of,
    numbers_of,
)
from vigil.planning.offer import field_of
from vigil.planning.shelfcsv import COLUMNS, ColumnsUnclear, from_csv, parse_lines, to_csv

RIG = demo_rig()
FIELD = field_of(RIG)
LINES = parse_lines("Ha 300 s × 12; OIII 300 x 6")


def framed(**values: object) -> Framed:
    framing = Framing(ra_deg=60.8, dec_deg=36.4, position_angle_deg=20.0, columns=2, rows=2)
    return Framed(**{"id": "california", "name": "NGC 1499", "framing": framing, "lines": LINES, **values})


def test_a_block_a_panel_with_ids_of_its_own() -> None:
    blocks = blocks_of(
        framed(order=[3, 1], panels=[PanelWish(number=2, left_out=True)]), FIELD, {"california-p3"}
    )
    assert [b.target.name for b in blocks] == ["NGC 1499 panel 3", "NGC 1499 panel 1", "NGC 1499 panel 4"]
    assert blocks[0].id == "california-p3-2"
    made = mosaic_of(framed().framing, FIELD)
    third = made.panels[2].footprint
    assert (blocks[0].target.ra_deg, blocks[0].target.position_angle_deg) == (
        third.ra_deg,
        third.position_angle_deg,
    )
    ids = [line.id for b in blocks for line in b.lines]
    assert len(ids) == len(set(ids)) == 6


def test_what_was_taken_is_not_taken_again() -> None:
    taken = {("NGC 1499 panel 1", "Ha"): 12, ("NGC 1499 panel 1", "OIII"): 6, ("NGC 1499 panel 2", "Ha"): 5}
    blocks = blocks_of(framed(), FIELD, (), taken=lambda t, f: taken.get((t, f), 0))
    assert [b.target.name[-1] for b in blocks] == ["2", "3", "4"]
    assert [(line.filter, line.count) for line in blocks[0].lines] == [("Ha", 7), ("OIII", 6)]


def test_lines_of_its_own_and_names() -> None:
    own = [ExposureLine(id="x", filter="L", exposure_s=60, count=3)]
    blocks = blocks_of(framed(panels=[PanelWish(number=4, name="north end", lines=own)]), FIELD, ())
    assert blocks[3].target.name == "NGC 1499 north end"
    assert [line.words for line in blocks[3].lines] == ["L 60 s"]
    assert blocks_of(framed(lines=[]), FIELD, ()) == []


def test_costs_count_overheads_and_nights() -> None:
    it = framed()
    cost = cost_of(it, mosaic_of(it.framing, FIELD), RIG, 5.0)
    assert cost.exposure_h == pytest.approx(4 * 18 * 300 / 3600)
    assert 1.5 < cost.panel_h < 1.7 and cost.panels_tonight == 3 and cost.nights == 2
    assert cost.bytes == 72 * 3000 * 3000 * 2
    assert cost.pixels[0] == pytest.approx(3000 * 1.8, rel=0.01)
    assert cost_of(it, mosaic_of(it.framing, FIELD), RIG, 1.0).nights == 7
    assert cost_of(framed(lines=[]), mosaic_of(it.framing, FIELD), RIG, 5.0).nights is None


def test_a_shelf_survives_its_json_and_its_csv() -> None:
    shelf = Shelf(framed=[framed(tags=["winter", "wide"], set_point_c=-15.0, note="a, b")])
    assert parse(Shelf, dump(shelf), "shelf") == shelf
    (back,) = from_csv(to_csv(shelf), Shelf().unused_id).framed
    assert back.framing.model_dump() == pytest.approx(shelf.framed[0].framing.model_dump(), abs=1e-3)
    assert [(x.filter, x.exposure_s, x.count) for x in back.lines] == [("Ha", 300, 12), ("OIII", 300, 6)]
    assert back.tags == ["winter", "wide"] and back.set_point_c == -15 and back.note == "a, b"
    assert to_csv(shelf).splitlines()[0] == ",".join(COLUMNS)


def test_a_spreadsheets_list_is_understood() -> None:
    text = "Object;Right Ascension;Declination;PA\nIC 405;05 16 12;+34 27;12°\nM 42;05:35:17;−05:23;\n"
    read = from_csv(text, Shelf().unused_id)
    assert [f.name for f in read.framed] == ["IC 405", "M 42"] and not read.left_out and not read.doubts
    assert read.framed[0].framing.position_angle_deg == 12
    assert read.framed[1].framing.dec_deg == pytest.approx(-5.383, abs=1e-3)
    by_name = from_csv("Target\nM 31\nM 31\n", Shelf().unused_id).framed
    assert [f.id for f in by_name] == ["m31", "m31-2"]


def test_bad_rows_are_named_and_good_ones_kept() -> None:
    text = (
        "name,ra,dec,columns,lines\nM 31,00 42 44,+41 16,,\nnowhere,,,,\nM 33,1h,97,,\nM 42,,,40,\n"
        "M 45,03 47,+24 07,,Ha for ever\n,,,,\nM 1,10 00 00,+22 00,,\n"
    )
    read = from_csv(text, Shelf().unused_id)
    assert [f.name for f in read.framed] == ["M 31", "M 1"]
    assert [line.split(":")[0] for line in read.left_out] == ["line 3", "line 4", "line 5", "line 6"]
    assert "outside −90" in read.left_out[1] and "no exposure line" in read.left_out[3]
    assert len(read.doubts) == 1 and "line 8" in read.doubts[0] and "M 1 lies" in read.doubts[0]


def test_columns_that_are_not_understood_are_asked_for() -> None:
    with pytest.raises(ColumnsUnclear) as asked:
        from_csv("what,RightAsc,Decl\nM 31,0,41\n", Shelf().unused_id)
    assert asked.value.have == ["what", "RightAsc", "Decl"] and "ra_deg" in asked.value.missing
    told = {"name": "what", "ra_deg": "RightAsc"}
    assert (
        from_csv("what,RightAsc,Decl\nM 31,10.68,41.27\n", Shelf().unused_id, told).framed[0].name == "M 31"
    )
    with pytest.raises(ValueError, match="empty"):
        from_csv("\n", Shelf().unused_id)
    with pytest.raises(ValueError, match="no column 'x'"):
        from_csv("name\nM 31\n", Shelf().unused_id, {"name": "x"})


def test_panels_are_named_by_numbers() -> None:
    assert numbers_of("", 4) == numbers_of("all", 4) == [1, 2, 3, 4]
    assert numbers_of("4, 1–2", 4) == [1, 2, 4]
    for wrong, says in (("5", "no panel 5"), ("3-2", "no panel 3-2"), ("two", "as 2, 4-6")):
        with pytest.raises(ValueError, match=says):
            numbers_of(wrong, 4)


def test_what_is_copied_to_a_panel_is_a_choice() -> None:
    lines, own = parse_lines("Ha 300 s × 12; L 60 s × 30"), parse_lines("L 90 s × 5; OIII 120 s × 4")
    assert copied(lines, own, COPIED[0]) is None, "it follows the target's"
    assert copied(lines, None, COPIED[1]) is None
    for what, l_line in ((COPIED[1], (60, 5)), (COPIED[2], (90, 30))):
        made = copied(lines, own, what)
        assert made is not None and (made[0].exposure_s, made[0].count) == l_line
        assert made[1] == own[1], "the target has nothing to say of this filter"


def test_names_are_checked_against_coordinates() -> None:
    assert disagreement("M 31", 10.7, 41.3) is None
    assert "39" in str(disagreement("M 31", 15.0, 2.0))
    assert disagreement("my own field", 15.0, 2.0) is None


@pytest.mark.parametrize(
    ("values", "says"),
    [
        ({"order": [1, 1]}, "twice"),
        ({"order": [5]}, "no panel 5"),
        ({"panels": [PanelWish(number=9)]}, "no panel 9"),
    ],
)
def test_panels_that_are_not_there_are_refused(values: dict[str, object], says: str) -> None:
    with pytest.raises(ValueError, match=says):
        framed(**values)
    with pytest.raises(DocumentError, match="stands twice"):
        parse(
            Shelf,
            dump(Shelf(framed=[framed()])).replace(
                '"framed": [', '"framed": [' + framed().model_dump_json() + ","
            ),
            "x",
        )
