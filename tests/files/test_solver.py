"""Solving against the catalogues on disk: near, then blind where allowed; the table; deeper stars of one's
own."""

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from astropy.io import fits

from campaigns.demo import demo_rig
from campaigns.solvefields import field_scene
from vigil.files import skytable
from vigil.files.fits import BadFrame, write_frame
from vigil.files.owncatalogue import BadCatalogue, catalogue_of, take_table, told
from vigil.files.skytable import Cancelled, NoTable, has_table, make_table, open_table, table_bytes
from vigil.files.solvefile import solve_file
from vigil.files.solver import Search, solve_picture
from vigil.files.starcatalogue import star_catalogue
from vigil.files.tableapart import make_table_apart
from vigil.simulator.frame.draw import draw
from vigil.sky.angles import separation_deg
from vigil.sky.stars import SkyStars
from vigil.solving.blind import Breadth
from vigil.solving.near import Hint

RA, DEC = 79.0, 34.0


class SmallCatalogue:
    """A few hundred square degrees in place of the sky: enough for the table's ways."""

    def everything(self) -> SkyStars:
        return star_catalogue().cone(RA, DEC, 9.0)


@pytest.fixture(scope="module")
def cache(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("cache")
    shares: list[float] = []
    make_table(folder, SmallCatalogue(), shares.append)  # type: ignore[arg-type]
    assert shares == sorted(shares) and shares[-1] == 1.0
    return folder


@pytest.fixture(scope="module")
def image() -> np.ndarray:
    """Two degrees and a quarter of the demo's sky, on a small sensor."""
    scene = field_scene(demo_rig(), 1)
    return draw(
        replace(
            scene,
            aim=replace(scene.aim, ra_deg=RA, dec_deg=DEC),
            scale_arcsec_px=8.0,
            sensor=replace(scene.sensor, shape=(1000, 1000)),
            exposure_s=8.0,
        )
    )


def off_arcsec(solution) -> float:  # type: ignore[no-untyped-def]
    return 3600 * float(separation_deg(solution.wcs.ra_deg, solution.wcs.dec_deg, RA, DEC))


def test_near_falls_back_to_blind_and_says_which(cache: Path, image: np.ndarray) -> None:
    right, wrong = Hint(RA + 1, DEC, 7, 9), Hint(200.0, -40.0, 7, 9)
    near = solve_picture(image, Search(right, Breadth(), cache)).solution
    assert near.method == "near" and off_arcsec(near) < 1
    blind = solve_picture(image, Search(wrong, Breadth(), cache)).solution
    assert blind.method == "blind" and off_arcsec(blind) < 1
    alone = solve_picture(image, Search(None, Breadth(), cache)).solution
    assert alone.solved and alone.method == "blind"
    forbidden = solve_picture(image, Search(wrong)).solution
    assert (not forbidden.solved and "of the hint" in forbidden.reason) or "agree" in forbidden.reason


def test_without_a_table_that_is_said(tmp_path: Path, image: np.ndarray) -> None:
    wrong = Hint(200.0, -40.0, 7, 9)
    for search in (Search(wrong, Breadth(), tmp_path), Search(None, Breadth(), tmp_path)):
        found = solve_picture(image, search).solution
        assert not found.solved and "vigil ready --make" in found.reason


def test_pictures_without_stars_and_impossible_ones(cache: Path) -> None:
    rng = np.random.default_rng(1)
    empty = rng.normal(500, 10, (400, 400)).astype(np.float32)
    found = solve_picture(empty, Search(Hint(RA, DEC, 7, 9), Breadth(), cache)).solution
    assert not found.solved and "too few stars" in found.reason and "what would help" in found.reason
    gone = solve_picture(np.full((200, 200), np.nan, np.float32), Search(Hint(RA, DEC, 7, 9))).solution
    assert not gone.solved
    with pytest.raises(ValueError, match="can't be measured"):
        solve_picture(np.ones((1, 1), np.float32), Search(Hint(RA, DEC, 7, 9)))


def test_half_of_it_not_a_number_still_solves(image: np.ndarray) -> None:
    broken = image.astype(np.float32)
    broken[:, :450] = np.nan
    assert off_arcsec(solve_picture(broken, Search(Hint(RA, DEC, 7, 9))).solution) < 2


def test_far_out_of_focus_the_second_look_solves() -> None:
    scene = field_scene(demo_rig(), 3)
    scene = replace(scene, exposure_s=20.0, blur=replace(scene.blur, defocus_um=420.0))
    hint = Hint(scene.aim.ra_deg, scene.aim.dec_deg, 1.5, 1.75)
    found = solve_picture(draw(scene), Search(hint)).solution
    assert found.wcs is not None, found.reason
    away = separation_deg(found.wcs.ra_deg, found.wcs.dec_deg, scene.aim.ra_deg, scene.aim.dec_deg)
    assert 3600 * float(away) < 3


def test_a_file_is_solved_by_its_header_anew_or_not_at_all(
    tmp_path: Path, cache: Path, image: np.ndarray
) -> None:
    path, own = tmp_path / "f.fits", tmp_path / "none"
    write_frame(path, image, {"OBJECT": ("IC 405", "")})
    blind = solve_file(path, cache, own)
    assert blind.wcs is not None and blind.matches is not None and blind.header["OBJECT"] == "IC 405"
    missing = solve_file(path, tmp_path, own)
    assert missing.wcs is None and "no RA" in missing.reason and "vigil ready --make" in missing.reason
    from vigil.files.fits import write_wcs

    write_wcs(path, blind.wcs)
    known = solve_file(path, tmp_path, own)
    assert known.wcs is not None and known.reason == "by the solution in its header"
    assert solve_file(path, cache, own, anew=True).matches is not None
    with pytest.raises(BadFrame):
        solve_file(tmp_path / "none.fits", cache, own)


def test_a_table_that_is_stopped_leaves_nothing(tmp_path: Path) -> None:
    with pytest.raises(Cancelled):
        make_table(tmp_path, SmallCatalogue(), stopped=lambda: True)  # type: ignore[arg-type]
    assert list(tmp_path.iterdir()) == [] and not has_table(tmp_path) and table_bytes(tmp_path) == 0
    with pytest.raises(NoTable, match="vigil ready --make"):
        open_table(tmp_path)


def test_a_broken_table_is_said_and_made_again(tmp_path: Path, cache: Path) -> None:
    folder = make_table(tmp_path, SmallCatalogue())  # type: ignore[arg-type]
    assert table_bytes(tmp_path) == table_bytes(cache) > 10_000
    records = np.load(folder / "records.npy")
    np.save(folder / "records.npy", records[:-1])
    with pytest.raises(NoTable, match="make it again"):
        open_table(tmp_path)
    (folder / "ends.npy").write_bytes(b"torn")
    with pytest.raises(NoTable, match="can't be read"):
        open_table(tmp_path)
    make_table(tmp_path, SmallCatalogue())  # type: ignore[arg-type]
    assert len(open_table(tmp_path).records) == len(records)
    assert skytable.table_folder(tmp_path).name.endswith(str(skytable.VERSION))


def test_making_it_in_a_process_of_its_own_can_be_stopped(tmp_path: Path) -> None:
    shares: list[float] = []
    with pytest.raises(Cancelled):
        make_table_apart(tmp_path, shares.append, lambda: bool(shares))
    assert list(tmp_path.iterdir()) == []
    (tmp_path / "file").write_text("")
    with pytest.raises(OSError, match="file"):
        make_table_apart(tmp_path / "file", shares.append)


# -- deeper stars of one's own ------------------------------------------------------------------------------


def csv_of(path: Path, rows: list[str], head: str = "RA,Dec,Gmag") -> Path:
    path.write_text("\n".join([head, *rows]) + "\n")
    return path


def test_a_csv_of_deeper_stars_is_searched_with_the_bundled_ones(tmp_path: Path) -> None:
    bundled = star_catalogue().cone(RA, DEC, 0.5)
    known = f"{bundled.ra_deg[0]:.7f},{bundled.dec_deg[0] + 0.5 / 3600:.7f},11.0"
    rows = ["79.01,34.01,14.5", "05 16 03,+34 00 30,15.25", known, "12.0,95.0,9", "nonsense,1,2", "10,10,99"]
    own = tmp_path / "own"
    taken = take_table(csv_of(tmp_path / "deep.csv", rows), own)
    assert (taken.stars, taken.left_out, taken.faintest_mag) == (3, 3, 15.25)
    assert [r.split(":")[0] for r in taken.reasons] == ["line 5", "line 6", "line 7"]
    both = catalogue_of(own).cone(RA, DEC, 0.5)
    assert len(both) == len(bundled) + 2, "a star that both have counts once"
    assert len(np.unique(both.number)) == len(both) and both.mag.max() == pytest.approx(15.25)
    assert told(own) == {"source": "deep.csv", "stars": 3, "faintest_mag": 15.25}
    assert catalogue_of(tmp_path / "none") is star_catalogue() and told(tmp_path / "none") is None


def test_a_fits_table_and_columns_by_name(tmp_path: Path) -> None:
    columns = [
        fits.Column("my_ra", "D", array=[79.0, 400.0]),
        fits.Column("DEC", "D", array=[34.0, 0.0]),
        fits.Column("MAG", "E", array=[15.0, 12.0]),
    ]
    path = tmp_path / "deep.fits"
    fits.BinTableHDU.from_columns(columns).writeto(path)
    with pytest.raises(BadCatalogue, match=r"no column is named as one would expect for ra.*--ra"):
        take_table(path, tmp_path / "own")
    taken = take_table(path, tmp_path / "own", {"ra": "my_ra"})
    assert (taken.stars, taken.left_out) == (1, 1) and "row 2" in taken.reasons[0]
    with pytest.raises(BadCatalogue, match="has no column 'x'"):
        take_table(path, tmp_path / "own", {"ra": "x"})
    columns[0] = fits.Column("RA", "2D", array=[[79.0, 1.0], [80.0, 2.0]])
    fits.BinTableHDU.from_columns(columns).writeto(tmp_path / "wide.fits")
    with pytest.raises(BadCatalogue, match="one number a row"):
        take_table(tmp_path / "wide.fits", tmp_path / "own")


def test_a_table_of_nothing_leaves_the_old_one(tmp_path: Path) -> None:
    own = tmp_path / "own"
    take_table(csv_of(tmp_path / "good.csv", ["79,34,14"]), own)
    for rows in ([], ["x,y,z"]):
        with pytest.raises(BadCatalogue, match="no row of it is a star"):
            take_table(csv_of(tmp_path / "bad.csv", rows), own)
    fits.PrimaryHDU().writeto(tmp_path / "empty.fits")
    with pytest.raises(BadCatalogue, match="holds no table"):
        take_table(tmp_path / "empty.fits", own)
    (tmp_path / "torn.fits").write_bytes(b"nothing")
    with pytest.raises(BadCatalogue, match="damaged"):
        take_table(tmp_path / "torn.fits", own)
    assert told(own) is not None and len(catalogue_of(own).cone(79, 34, 0.01)) >= 1
