"""Files: whole or not at all; frames; names; catalogues."""

import io
import re
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest
from astropy.io import fits
from hypothesis import given
from hypothesis import strategies as st

from vigil.files.atomic import write_atomically, write_bytes
from vigil.files.deepsky import UnknownObject, find_object
from vigil.files.fits import BadFrame, read_frame, write_frame, write_wcs
from vigil.files.names import USUAL_PATTERN, check_pattern, evening_date, frame_path, safe
from vigil.files.starcatalogue import star_catalogue
from vigil.sky.angles import separation_deg
from vigil.solving.wcs import Wcs

IMAGE = np.random.default_rng(1).integers(0, 65536, (60, 80), dtype=np.uint16)


def test_a_failed_write_leaves_what_was_there(tmp_path: Path) -> None:
    path = tmp_path / "file"
    write_bytes(path, b"before")

    def fail(stream) -> None:
        stream.write(b"half of")
        raise OSError(28, "No space left on device")

    with pytest.raises(OSError, match="No space"):
        write_atomically(path, fail)
    assert path.read_bytes() == b"before"
    assert list(tmp_path.iterdir()) == [path]


def test_a_missing_folder_is_an_error(tmp_path: Path) -> None:
    with pytest.raises(FileNotFoundError):
        write_bytes(tmp_path / "none" / "file", b"x")


def test_a_frame_and_its_header(tmp_path: Path) -> None:
    path = tmp_path / "frame.fits"
    write_frame(path, IMAGE, {"OBJECT": ("IC 405", "target"), "EXPTIME": (180.0, "[s]")})
    frame = read_frame(path)
    assert np.array_equal(frame.image, IMAGE) and frame.image.dtype == np.uint16
    assert frame.header["OBJECT"] == "IC 405" and frame.header["EXPTIME"] == 180.0
    with fits.open(path) as units:
        units.verify("exception")
        assert units[0].header["BITPIX"] == 16 and units[0].header["BZERO"] == 32768


def test_only_planes_of_16_bits_are_written(tmp_path: Path) -> None:
    for image in (IMAGE.astype(float), IMAGE[0], IMAGE[None]):
        with pytest.raises(ValueError, match="uint16"):
            write_frame(tmp_path / "x.fits", image, {})
    assert not list(tmp_path.iterdir())


def test_a_solution_is_added_and_pixels_stay(tmp_path: Path) -> None:
    path = tmp_path / "frame.fits"
    write_frame(path, IMAGE, {"OBJECT": ("IC 405", "")})
    fits.setval(path, "CDELT1", value=1.0)
    write_wcs(path, Wcs(79.0, 34.0, ((-0.0004, 0.0), (0.0, 0.0004)), IMAGE.shape))
    frame = read_frame(path)
    assert np.array_equal(frame.image, IMAGE)
    assert frame.header["CRVAL1"] == 79.0 and frame.header["CRPIX1"] == 40.5
    assert frame.header["OBJECT"] == "IC 405" and "CDELT1" not in frame.header


def _columns(claimed: int) -> bytes:
    """A packed frame that claims so many columns."""
    stream = io.BytesIO()
    fits.HDUList([fits.PrimaryHDU(), fits.CompImageHDU(IMAGE)]).writeto(stream)
    return re.sub(rb"TFIELDS = +\d+", f"TFIELDS = {claimed:>20}".encode(), stream.getvalue())


def test_damaged_frames_are_refused(tmp_path: Path) -> None:
    good = tmp_path / "good.fits"
    write_frame(good, IMAGE, {})
    whole = good.read_bytes()
    cases = {
        "short.fits": whole[: len(whole) // 2],
        "empty.fits": b"",
        "text.fits": b"this is no frame at all\n" * 200,
        "header.fits": whole[:2880],
        "garbled.fits": whole[:80] + b"\xff" * 200 + whole[280:],
        "columns.fits": _columns(10**9),
    }
    for name, content in cases.items():
        path = tmp_path / name
        path.write_bytes(content)
        with pytest.raises(BadFrame, match=name):
            read_frame(path)
        with pytest.raises((BadFrame, OSError)):
            write_wcs(path, Wcs(0, 0, ((1, 0), (0, 1)), (60, 80)))
        assert path.read_bytes() == content, "a damaged file must be left as it is"
    with pytest.raises(BadFrame, match="no such file"):
        read_frame(tmp_path / "none.fits")


def test_other_peoples_frames_are_read(tmp_path: Path) -> None:
    fits.PrimaryHDU(np.zeros((3, 40, 40), np.float32)).writeto(tmp_path / "cube.fits")
    with pytest.raises(BadFrame, match="3 axes"):
        read_frame(tmp_path / "cube.fits")
    fits.PrimaryHDU(header=fits.Header({"OBJECT": "x"})).writeto(tmp_path / "none.fits")
    with pytest.raises(BadFrame, match="no image"):
        read_frame(tmp_path / "none.fits")
    packed = fits.HDUList([fits.PrimaryHDU(), fits.CompImageHDU(IMAGE)])
    packed.writeto(tmp_path / "packed.fits")
    assert np.array_equal(read_frame(tmp_path / "packed.fits").image, IMAGE)
    fits.PrimaryHDU(IMAGE.astype(">f8")).writeto(tmp_path / "double.fits")
    assert read_frame(tmp_path / "double.fits").image.dtype.isnative


@pytest.mark.parametrize(
    ("moment", "date"),
    [
        (datetime(2027, 1, 12, 16, tzinfo=UTC), "2027-01-12"),
        (datetime(2027, 1, 13, 3, tzinfo=UTC), "2027-01-12"),
        (datetime(2027, 1, 13, 10, 59, tzinfo=UTC), "2027-01-12"),
        (datetime(2027, 1, 13, 11, 0, tzinfo=UTC), "2027-01-13"),
    ],
)
def test_a_night_has_the_evenings_date(moment: datetime, date: str) -> None:
    assert evening_date(moment, "Europe/Vienna") == date


@given(st.text(min_size=1, max_size=40))
def test_names_are_safe_on_any_file_system(text: str) -> None:
    name = safe(text)
    assert name and not set(name) & set('/\\:*?"<>|\0 \n') and not name.startswith((".", "-"))


def test_paths_sort_and_explain_themselves() -> None:
    def path(number: int) -> Path:
        values = {
            "date": "2027-01-12", "target": "IC 405", "rig": "Heron 480", "kind": "light", "filter": "Ha",
            "exposure": "180s", "temperature": "-10.0C",
            "number": f"{number:04d}", "time": f"2001{number:02d}",
        }  # fmt: skip
        return frame_path(Path("/f"), pattern, values, lambda p: p in taken)

    pattern, taken = USUAL_PATTERN, set[Path]()

    assert str(path(3)) == "/f/2027-01-12/IC-405/Ha/IC-405_Heron-480_light_Ha_180s_0003_200103.fits"
    assert sorted([path(10), path(9), path(2)]) == [path(2), path(9), path(10)]
    taken |= {path(3), path(3).with_stem(path(3).stem + "-2")}
    assert path(3).name.endswith("_0003_200103-3.fits")
    pattern = "{target}_{focus}_{temperature}_{number}"
    assert path(3).name == "IC-405_-10.0C_0003.fits", "what a frame has no value for leaves no gap"


@pytest.mark.parametrize(
    ("pattern", "says"),
    [
        ("{tarhet}/{number}", "there is no field {tarhet}; use target, panel"),
        ("{target", "brace is not closed"),
        ("/{target}", "a path below the folder"),
        ("{target}/../{number}", "a path below the folder"),
        ("{target}//{number}", "no empty piece"),
    ],
)
def test_naming_patterns_that_cannot_be_used(pattern: str, says: str) -> None:
    with pytest.raises(ValueError, match=re.escape(says)):
        check_pattern(pattern)


@pytest.mark.parametrize(
    ("name", "found"),
    [
        ("IC 405", "IC 405"),
        ("ic0405", "IC 405"),
        ("Flaming Star Nebula", "IC 405"),
        ("LBN 795", "IC 405"),
        ("NGC 1499", "NGC 1499"),
        ("M31", "NGC 224"),
    ],
)
def test_objects_by_any_of_their_names(name: str, found: str) -> None:
    assert find_object(name).name == find_object(found).name


def test_unknown_objects_offer_what_is_near() -> None:
    with pytest.raises(UnknownObject, match="did you mean M 31"):
        find_object("Andromda Galaxy")
    with pytest.raises(UnknownObject, match="did you mean NGC 2239"):
        find_object("NCG 2244")
    with pytest.raises(UnknownObject, match="no object is called 'zzzz'"):
        find_object("zzzz")


@pytest.mark.parametrize(
    ("ra_deg", "dec_deg", "radius_deg"),
    [(79.1, 34.4, 1.0), (0.2, -1.0, 2.0), (120.0, 89.5, 1.5), (250, -89.9, 1)],
)
def test_cones_hold_just_the_stars_inside(ra_deg: float, dec_deg: float, radius_deg: float) -> None:
    """Against every star of the sky, one by one."""
    catalogue = star_catalogue()
    found = catalogue.cone(ra_deg, dec_deg, radius_deg)
    everything = catalogue.cone(0.0, 0.0, 180.0)
    assert len(everything) == 1_871_147
    apart = separation_deg(ra_deg, dec_deg, everything.ra_deg, everything.dec_deg)
    assert set(found.number) == set(everything.number[apart <= radius_deg])
    assert len(set(found.number)) == len(found)


def test_cells_count_their_stars_and_hold_their_places() -> None:
    catalogue = star_catalogue()
    cell = int(catalogue.cells_near(79.1, 34.4, 0.01)[0])
    assert 20 < catalogue.count_in(cell) < 2000
    ra, dec = catalogue.inside_cell(cell, np.array([0.5]), np.array([0.5]))
    assert separation_deg(79.1, 34.4, float(ra[0]), float(dec[0])) < 2
