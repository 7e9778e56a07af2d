"""Pictures of every kind: right way up, or refused with the reason."""

from pathlib import Path

import numpy as np
import pytest
import tifffile
from astropy.io import fits
from astropy.wcs import WCS
from PIL import Image

from vigil.files.fits import BadFrame, plane_shape, read_header, read_wcs, top_down, write_wcs
from vigil.files.pictures import read_picture
from vigil.imaging.shrink import shrunk
from vigil.solving.wcs import Sip, Wcs

ROWS, COLUMNS = 40, 60
# brighter towards the picture's top, and one bright spot low at the left
PLANE = np.repeat(np.arange(ROWS, dtype=np.uint16)[::-1, None] * 5, COLUMNS, axis=1)
PLANE[ROWS - 3, 4] = 250


def is_upright(planes: np.ndarray) -> bool:
    """Row 0 is the picture's lowest."""
    mono = planes if planes.ndim == 2 else planes[:, :, 0]
    return bool(mono[2, 4] > mono[2, 10] and mono[-1, 10] > mono[0, 10])


def test_png_of_eight_and_sixteen_bits_and_colour(tmp_path: Path) -> None:
    Image.fromarray(PLANE.astype(np.uint8)).save(tmp_path / "grey.png")
    Image.fromarray(PLANE * 257).save(tmp_path / "deep.png")
    Image.fromarray(np.dstack([PLANE.astype(np.uint8)] * 3)).save(tmp_path / "colour.png")
    for name, shape in (("grey", 2), ("deep", 2), ("colour", 3)):
        picture = read_picture(tmp_path / f"{name}.png")
        assert picture.planes.ndim == shape and is_upright(picture.planes) and not picture.fits
        assert picture.mono.shape == (ROWS, COLUMNS)
    assert read_picture(tmp_path / "deep.png").planes.max() == 250 * 257


def test_jpeg(tmp_path: Path) -> None:
    Image.fromarray(PLANE.astype(np.uint8)).save(tmp_path / "p.JPG", quality=95)
    assert is_upright(read_picture(tmp_path / "p.JPG").planes)


@pytest.mark.parametrize("dtype", [np.uint8, np.uint16, np.float32])
@pytest.mark.parametrize("colours", [1, 3])
def test_tiff_of_every_depth(tmp_path: Path, dtype: type, colours: int) -> None:
    planes = PLANE.astype(dtype)
    planes = planes if colours == 1 else np.dstack([planes, planes, planes])
    tifffile.imwrite(tmp_path / "p.tif", planes, photometric="minisblack" if colours == 1 else "rgb")
    picture = read_picture(tmp_path / "p.tif")
    assert is_upright(picture.planes) and picture.planes.dtype == dtype
    assert picture.mono.shape == (ROWS, COLUMNS)


def test_a_compressed_tiff_is_read_too(tmp_path: Path) -> None:
    Image.fromarray(PLANE.astype(np.uint8)).save(tmp_path / "p.tiff", compression="tiff_lzw")
    assert is_upright(read_picture(tmp_path / "p.tiff").planes)


def test_fits_says_itself_which_end_is_up(tmp_path: Path) -> None:
    for order, data in (("BOTTOM-UP", PLANE[::-1]), ("TOP-DOWN", PLANE)):
        unit = fits.PrimaryHDU(np.ascontiguousarray(data))
        unit.header["ROWORDER"] = order
        unit.writeto(tmp_path / f"{order}.fits")
        picture = read_picture(tmp_path / f"{order}.fits")
        assert is_upright(picture.planes) and picture.fits
        assert top_down(picture.header) == (order == "TOP-DOWN")
    fits.PrimaryHDU(np.stack([PLANE[::-1]] * 3)).writeto(tmp_path / "colour.fits")
    assert read_picture(tmp_path / "colour.fits").planes.shape == (ROWS, COLUMNS, 3)


@pytest.mark.parametrize("order", ["BOTTOM-UP", "TOP-DOWN"])
@pytest.mark.parametrize("distorted", [False, True])
def test_a_solution_is_written_for_the_rows_as_the_file_has_them(
    tmp_path: Path, order: str, distorted: bool
) -> None:
    path = tmp_path / "f.fits"
    unit = fits.PrimaryHDU(np.ascontiguousarray(PLANE[::-1] if order == "BOTTOM-UP" else PLANE))
    unit.header["ROWORDER"] = order
    unit.header["CDELT1"], unit.header["A_ORDER"], unit.header["A_2_0"] = 0.5, 2, 1e-3
    unit.writeto(path)
    sip = Sip(2, (1e-5, 2e-5, -1e-5), (3e-5, 0.0, 1e-5)) if distorted else None
    wcs = Wcs(80.0, 30.0, ((-4e-4, 1e-5), (1e-5, 4e-4)), (ROWS, COLUMNS), sip)
    write_wcs(path, wcs)
    header = fits.getheader(path)
    assert "CDELT1" not in header and ("A_ORDER" in header) == distorted, "what stood there before is gone"
    column, row = np.array([4.0, 50.0]), np.array([2.0, 30.0])
    in_file = row if order == "BOTTOM-UP" else ROWS - 1 - row
    theirs = WCS(header).all_pix2world(column, in_file, 0)
    ours = wcs.to_sky(column, row)
    scale = 4e-4
    off_px = np.hypot((theirs[0] - ours[0]) * np.cos(np.radians(30)), theirs[1] - ours[1]) / scale
    assert off_px.max() < 0.01
    back = read_wcs(read_header(path), plane_shape(read_header(path)))
    assert back is not None and back.mirrored == wcs.mirrored
    assert (back.ra_deg, back.dec_deg) == pytest.approx((80.0, 30.0), abs=1e-6)


@pytest.mark.parametrize(
    ("name", "content", "says"),
    [
        ("torn.fits", b"SIMPLE  =                    T" + b" " * 60, "not a FITS file: it is too short"),
        ("text.png", b"not a picture at all", "damaged, or no picture"),
        ("cut.tif", b"II*\x00\x08\x00\x00\x00", "damaged, or no picture|has 1 axes"),
        ("song.mp3", b"", "pictures end in one of"),
    ],
)
def test_what_is_no_picture_is_refused_with_its_name(
    tmp_path: Path, name: str, content: bytes, says: str
) -> None:
    path = tmp_path / name
    path.write_bytes(content)
    with pytest.raises(BadFrame, match=says) as refused:
        read_picture(path)
    assert str(path) in str(refused.value)


def test_a_missing_file_is_said(tmp_path: Path) -> None:
    for name in ("none.fits", "none.png"):
        with pytest.raises(BadFrame, match="there is no such file"):
            read_picture(tmp_path / name)
    assert read_header(tmp_path / "none.fits") == {} and plane_shape({}) == (0, 0)


@pytest.mark.parametrize(
    "header",
    [
        {},
        {"CTYPE1": "GLON-CAR"},
        {"CTYPE1": "RA---TAN", "CTYPE2": "DEC--TAN", "CRVAL1": "x"},
        {
            "CTYPE1": "RA---TAN",
            "CTYPE2": "DEC--TAN",
            "CRVAL1": 1.0,
            "CRVAL2": 2.0,
            "CD1_1": 0.0,
            "CD2_2": 0.0,
        },
    ],
)
def test_headers_without_a_usable_solution_give_none(header: dict[str, object]) -> None:
    assert read_wcs(header, (10, 10)) is None


def test_shrinking_takes_means_and_cuts_what_is_left_over() -> None:
    image = np.arange(35, dtype=np.float32).reshape(5, 7)
    small = shrunk(image, 2)
    assert small.shape == (2, 3) and small[0, 0] == pytest.approx(np.mean([0, 1, 7, 8]))
    image[0, 0] = np.nan
    assert np.isnan(shrunk(image, 2)[0, 0]) and np.isfinite(shrunk(image, 2)[1]).all()
    with pytest.raises(ValueError, match="can't be shrunk"):
        shrunk(image, 9)
