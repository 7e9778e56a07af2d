"""The ledger's dealings with files: backups, hand-overs, frames that moved, frames from elsewhere, CSV."""

import csv
import io
import shutil
import sqlite3
import subprocess
import sys
from collections.abc import Callable
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest
from astropy.io import fits

from campaigns.demo import demo_rig, quick_rig
from campaigns.handovers import frames_on_disk, into_ledger, one_ledger, write_made
from campaigns.kept import Place, kept
from campaigns.twokeepers import one_pair
from campaigns.verdicts import project_of, scene_of
from vigil.documents.events import Event, Kind
from vigil.documents.project import VerdictLimits
from vigil.files.solver import Search
from vigil.ledger.backup import back_up, checked, restore
from vigil.ledger.csvfiles import frames_csv, nights_csv
from vigil.ledger.handover import gathering, hand_over, manifest
from vigil.ledger.importing import fits_in, import_frames
from vigil.ledger.importtable import import_table
from vigil.ledger.judged import NotJudged, judge_by_hand
from vigil.ledger.reading import FRAME_COLUMNS, LedgerUnread, Sought, count, frames, nights, query
from vigil.ledger.reconcile import reconcile
from vigil.ledger.standings import judge_new
from vigil.ledger.store import SCHEMA, LedgerError, LedgerStore
from vigil.ledger.trends import theil_slope
from vigil.levels.matching import Made
from vigil.simulator.frame.draw import draw

NOW = datetime(2027, 1, 13, 9, tzinfo=UTC)
ROOT = Path(__file__).parents[2]


@pytest.fixture
def ledger(tmp_path: Path) -> Path:
    """Three lights of one target with two darks, on disk and on record."""
    path = tmp_path / "ledger.sqlite"
    frames_on_disk(path, tmp_path / "frames", "heron-480", 3)
    return path


# -- backups ------------------------------------------------------------------------------------------------


def test_a_backup_is_whole_and_can_be_brought_back(ledger: Path, tmp_path: Path) -> None:
    copy = tmp_path / "copy.sqlite"
    events = back_up(ledger, copy)
    store = LedgerStore(ledger)
    assert checked(copy) == events == store.last_id()
    store.close()
    judge_by_hand(ledger, [str(frames(ledger)[0]["frame_id"])], "rejected", NOW)
    back, kept = restore(copy, ledger)
    assert back == events and count(ledger, Sought(standing="rejected")) == 0
    assert kept is not None and count(kept, Sought(standing="rejected")) == 1


def test_no_backup_over_anything_and_none_of_nothing(ledger: Path, tmp_path: Path) -> None:
    (tmp_path / "there").write_text("mine")
    with pytest.raises(LedgerError, match="never takes"):
        back_up(ledger, tmp_path / "there")
    with pytest.raises(LedgerError, match="no such folder"):
        back_up(ledger, tmp_path / "none" / "copy")
    with pytest.raises(LedgerError, match="no ledger yet"):
        back_up(tmp_path / "none.sqlite", tmp_path / "copy")
    assert (tmp_path / "there").read_text() == "mine"


@pytest.mark.parametrize("spoil", ["text", "cut", "newer", "gone"])
def test_what_is_no_whole_ledger_is_not_restored(ledger: Path, tmp_path: Path, spoil: str) -> None:
    copy = tmp_path / "copy.sqlite"
    back_up(ledger, copy)
    if spoil == "text":
        copy.write_text("no ledger at all")
    elif spoil == "cut":
        copy.write_bytes(copy.read_bytes()[:8192])
    elif spoil == "newer":
        with closing(sqlite3.connect(copy)) as base:
            base.execute(f"PRAGMA user_version = {SCHEMA + 1}")
    else:
        copy.unlink()
    before = ledger.read_bytes()
    with pytest.raises(LedgerError):
        restore(copy, ledger)
    assert ledger.read_bytes() == before and list(tmp_path.glob("*.before-*")) == []


def test_two_keepers_at_once_with_backups_meanwhile() -> None:
    found = one_pair(0, 4)
    assert found["wrong"] == [] and found["backups"] > 0 and found["frames"] > 4


# -- hand over ----------------------------------------------------------------------------------------------


def test_a_sample_of_handovers() -> None:
    for seed in (1, 4, 6):
        assert one_ledger(seed)["wrong"] == []


def test_links_take_no_room_and_lead_to_the_frames(ledger: Path, tmp_path: Path) -> None:
    gathered = gathering(frames(ledger), [tmp_path / "frames"], "UTC", {"heron-480": "Heron"})
    assert len(gathered.lights) == 3 and len(gathered.items) == 5
    assert gathered.uncovered == ("IC 405 Ha: no flats",)
    came = hand_over(gathered, tmp_path / "out")
    assert came.done == 5 and came.left == ()
    links = [p for p in (tmp_path / "out").rglob("*.fits") if p.is_symlink()]
    assert {p.resolve() for p in links} == {p.resolve() for p in (tmp_path / "frames").iterdir()}
    rows = list(csv.DictReader(io.StringIO(manifest(gathered.items))))
    assert [row["darks"] for row in rows[:3]] == ["2"] * 3 and rows[3]["serves"] == "3"


def test_the_frames_of_two_rigs_are_told_apart(ledger: Path, tmp_path: Path) -> None:
    frames_on_disk(ledger, tmp_path / "second", "stork-1600", 2)
    names = {"heron-480": "Heron", "stork-1600": "Stork"}
    folders = [tmp_path / "frames", tmp_path / "second"]
    gathered = gathering(frames(ledger), folders, "UTC", names, "{rig}/{kind}_{number}")
    of = [item.name.parts[0] for item in gathered.lights]
    assert sorted(of) == ["Heron"] * 3 + ["Stork"] * 2
    # darks serve both: they are neither's
    assert {len(item.name.parts) for item in gathered.items if item.made.kind == "dark"} == {1}


def test_another_file_of_that_name_is_left_alone(ledger: Path, tmp_path: Path) -> None:
    gathered = gathering(
        frames(ledger), [tmp_path / "frames"], "UTC", {"heron-480": "Heron"}, "{kind}_{number}"
    )
    (tmp_path / "out").mkdir()
    (tmp_path / "out" / "light_0002.fits").write_text("somebody's")
    came = hand_over(gathered, tmp_path / "out", "copy")
    assert came.done == 1 and len(came.left) == 4 and "light_0002" in came.reason
    assert (tmp_path / "out" / "light_0002.fits").read_text() == "somebody's"


def test_stopped_in_the_middle_it_goes_on_later(ledger: Path, tmp_path: Path) -> None:
    gathered = gathering(frames(ledger), [tmp_path / "frames"], "UTC", {"heron-480": "Heron"})
    came = hand_over(gathered, tmp_path / "out", "copy", lambda done, of: done < 2)
    assert came.done == 2 and came.reason == "stopped" and len(came.left) == 3
    assert hand_over(gathered, tmp_path / "out", "copy").done == 3


def test_lights_whose_files_are_gone_are_named(ledger: Path, tmp_path: Path) -> None:
    (tmp_path / "frames" / "light-1.fits").unlink()
    gathered = gathering(frames(ledger), [tmp_path / "frames"], "UTC", {"heron-480": "Heron"})
    assert [p.name for p in gathered.missing] == ["light-1.fits"] and len(gathered.lights) == 2


# -- frames that moved --------------------------------------------------------------------------------------


def with_id(path: Path, frame_id: str) -> None:
    with fits.open(path, mode="update") as units:
        units[0].header["FRAMEID"] = frame_id


def test_moved_missing_and_back_again(ledger: Path, tmp_path: Path) -> None:
    there = frames(ledger)
    for frame in there:
        with_id(Path(str(frame["path"])), str(frame["frame_id"]))
    moved, gone = Path(str(there[0]["path"])), Path(str(there[1]["path"]))
    other = tmp_path / "elsewhere"
    other.mkdir()
    shutil.move(moved, other / "renamed.fits")
    shutil.move(gone, tmp_path / "kept-aside.fits")
    only_said = reconcile(ledger, [other], NOW, record=False)
    assert len(only_said.moved) == 1 and frames(ledger)[0]["path"] == str(moved)
    found = reconcile(ledger, [tmp_path / "frames", other], NOW)
    assert (found.there, len(found.moved), found.missing) == (1, 1, (gone,))
    after = frames(ledger)
    assert after[0]["path"] == str(other / "renamed.fits") and after[1]["missing"]
    shutil.move(tmp_path / "kept-aside.fits", gone)
    again = reconcile(ledger, [tmp_path / "frames", other], NOW)
    assert again.back == 1 and again.missing == () and not frames(ledger)[1]["missing"]
    # derived anew from the events it is the same
    with closing(sqlite3.connect(ledger)) as base:
        base.execute("PRAGMA user_version = 6")
        base.commit()
    LedgerStore(ledger).close()
    assert frames(ledger)[0]["path"] == str(other / "renamed.fits")


# -- frames from elsewhere ----------------------------------------------------------------------------------


@pytest.fixture(scope="module")
def light(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A drawn light with the header of another program's kind."""
    scene = scene_of(3, 0, project_of(3)[0])
    header = fits.Header()
    for card, value in (
        ("IMAGETYP", "Light Frame"), ("OBJECT", "NGC 7000"), ("FILTER", "Ha"), ("EXPOSURE", 120.0),
        ("DATE-OBS", "2026-11-02T21:04:11"), ("INSTRUME", "Alder 3000"), ("XBINNING", 1),
        ("XPIXSZ", 3.8), ("FOCALLEN", 206.265 * 3.8 / scene.scale_arcsec_px),
        ("RA", scene.aim.ra_deg), ("DEC", scene.aim.dec_deg), ("SET-TEMP", -10.0),
    ):  # fmt: skip
        header[card] = value
    path = tmp_path_factory.mktemp("elsewhere") / "light.fits"
    fits.PrimaryHDU(draw(scene), header).writeto(path)
    return path


def test_frames_from_elsewhere_are_measured_and_known_again(light: Path, tmp_path: Path) -> None:
    ledger = tmp_path / "ledger.sqlite"
    for n, kind in enumerate(("dark", "flat")):
        write_made(light.parent / f"{kind}.fits", Made(kind, "", "", 120.0, at=NOW), n)  # type: ignore[arg-type]
    (light.parent / "notes.fits").write_text("no FITS")
    found = list(import_frames(ledger, fits_in([light.parent]), demo_rig(), NOW, Search()))
    by_name = {one.path.name: one for one in found}
    taken = by_name["light.fits"]
    assert taken.frame_id.startswith("elsewhere-") and taken.target == "NGC 7000"
    assert "a dark, not a light" in by_name["dark.fits"].why_not
    assert "not a FITS" in by_name["notes.fits"].why_not
    (row,) = frames(ledger)
    assert row["evening"] == "2026-11-02" and row["stars"] > 5 and row["fwhm_px"] > 1
    assert (row["filter"], row["exposure_s"], row["set_point_c"]) == ("Ha", 120, -10)
    # its name and what it shows don't agree where it could be solved
    assert not taken.solved or "NGC 7000 lies" in taken.doubt
    copy = tmp_path / "copy.fits"
    shutil.copy(light, copy)
    (again,) = import_frames(ledger, [copy], demo_rig(), NOW, Search())
    assert again.frame_id == "" and "already" in again.why_not
    assert count(ledger) == 1


def test_the_header_must_say_enough(tmp_path: Path) -> None:
    def one(change: Callable[[fits.Header], object]) -> str:
        path = tmp_path / "one.fits"
        write_made(path, Made("light", "IC 405", "L", 60.0, camera="Alder", at=NOW), 5)
        with fits.open(path, mode="update") as units:
            change(units[0].header)
        (told,) = import_frames(tmp_path / "l.sqlite", [path], demo_rig(), NOW, Search())
        return told.why_not

    assert "IMAGETYP" in one(lambda h: h.remove("IMAGETYP"))
    assert "when it was exposed" in one(lambda h: h.remove("EXPTIME"))
    assert "names no target" in one(lambda h: h.remove("OBJECT"))
    assert not np.any([f for f in frames(tmp_path / "l.sqlite")])


# -- reading, judging, CSV ----------------------------------------------------------------------------------


def test_a_word_on_a_frame_and_its_taking_back(ledger: Path) -> None:
    name = str(frames(ledger)[0]["frame_id"])
    for word, standing in (("rejected", "rejected"), ("kept", "kept"), ("undecided", "kept")):
        judge_by_hand(ledger, [name], word, NOW)  # type: ignore[arg-type]
        assert frames(ledger)[0]["standing"] == standing
    assert frames(ledger)[0]["verdict"] is None
    with pytest.raises(NotJudged, match="no frame is called"):
        judge_by_hand(ledger, ["other"], "kept", NOW)


def test_a_frame_of_a_night_that_goes_on_is_its_keepers(tmp_path: Path) -> None:
    ledger = tmp_path / "ledger.sqlite"
    made = Made("light", "IC 405", "Ha", 300.0, camera="Wren", at=NOW)
    into_ledger(ledger, "heron-480", [(tmp_path / "a.fits", made)])
    with closing(sqlite3.connect(ledger)) as base:
        base.execute("UPDATE errands SET over_at = NULL")
        base.commit()
    with pytest.raises(NotJudged, match="goes on"):
        judge_by_hand(ledger, [str(frames(ledger)[0]["frame_id"])], "rejected", NOW)


def test_only_what_is_new_is_judged(ledger: Path) -> None:
    assert judge_new(ledger) == 1 and judge_new(ledger) == 0
    assert judge_new(ledger, lambda _: VerdictLimits(grown_percent=10)) == 1
    assert judge_new(ledger.with_name("none.sqlite")) == 0


def test_csv_has_its_documented_columns(ledger: Path) -> None:
    rows = list(csv.reader(io.StringIO(frames_csv(ledger, Sought()))))
    assert tuple(rows[0]) == FRAME_COLUMNS and len(rows) == 4
    assert nights_csv(ledger).count("\n") == 1 and nights(ledger) == []


def test_a_table_goes_out_and_comes_in(ledger: Path, tmp_path: Path) -> None:
    judge_by_hand(ledger, [str(frames(ledger)[1]["frame_id"])], "rejected", NOW)
    text = frames_csv(ledger, Sought())
    other = tmp_path / "other.sqlite"
    came = import_table(other, text, demo_rig(), NOW)
    assert (came.taken, came.left_out, came.unknown) == (3, (), ())
    same = ("frame_id", "path", "target", "filter", "exposure_s", "gain", "started_at", "standing", "evening")
    told = [[f[name] for name in same] for f in frames(other)]
    assert told == [[f[name] for name in same] for f in frames(ledger)]
    again = import_table(other, text, demo_rig(), NOW)
    assert again.taken == 0 and "already" in again.left_out[0] and count(other) == 3


def test_a_table_of_ones_own(tmp_path: Path) -> None:
    ledger = tmp_path / "ledger.sqlite"
    text = """started_at,target,exposure_s,filter,fwhm_px,stars,mood
2026-11-02T21:04:11,IC 405,300,Ha,2.4,812,good
yesterday,IC 405,300,Ha,2.4,812,good
2026-11-02T21:14:11,IC 405,long,Ha,,,
2026-11-02T21:24:11,,300,Ha,,,
2026-11-02T21:34:11,IC 405,300,Ha,,,
"""
    came = import_table(ledger, text, demo_rig(), NOW)
    assert came.taken == 2 and came.unknown == ("mood",)
    reasons = [said.split(": ", 1)[1] for said in came.left_out]
    assert (
        "is no moment" in reasons[0] and "exposure_s 'long'" in reasons[1] and "target is empty" in reasons[2]
    )
    first, second = frames(ledger)
    assert first["stars"] == 812 and second["stars"] is None and first["evening"] == "2026-11-02"
    with pytest.raises(ValueError, match="no column exposure_s"):
        import_table(ledger, "started_at,target\n", demo_rig(), NOW)


def test_a_table_cut_off_in_the_middle_keeps_what_came_and_says_how_it_ended(
    ledger: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    text, other = frames_csv(ledger, Sought()), tmp_path / "other.sqlite"
    whole, saved = LedgerStore.add, 0

    def full_at_the_third(store: LedgerStore, event: Event) -> None:
        nonlocal saved
        saved += event.kind is Kind.FRAME_SAVED
        if saved == 3 and event.kind is Kind.FRAME_SAVED:
            raise LedgerError("no room is left")
        whole(store, event)

    monkeypatch.setattr(LedgerStore, "add", full_at_the_third)
    with pytest.raises(LedgerError, match="no room"):
        import_table(other, text, demo_rig(), NOW)
    monkeypatch.undo()
    with closing(LedgerStore(other)) as store:
        assert [row.outcome for row in store.errands("heron-480")] == ["failed"]
    assert count(other) == 2
    assert import_table(other, text, demo_rig(), NOW).taken == 1 and count(other) == 3


def test_an_import_that_is_stopped_says_so(light: Path, tmp_path: Path) -> None:
    ledger, second = tmp_path / "ledger.sqlite", tmp_path / "second.fits"
    shutil.copy(light, second)
    asked = iter((False, True))
    stopped = import_frames(ledger, [light, second], demo_rig(), NOW, Search(), "IC 405", lambda: next(asked))
    assert sum(bool(one.frame_id) for one in stopped) == 1
    with closing(LedgerStore(ledger)) as store:
        assert [row.outcome for row in store.errands("heron-480")] == ["stopped"]


def test_a_question_of_ones_own_can_only_read(ledger: Path) -> None:
    columns, rows = query(ledger, "SELECT target, count(*) AS many FROM frames GROUP BY 1")
    assert columns == ["target", "many"] and rows == [("IC 405", 3)]
    with pytest.raises(LedgerUnread, match="readonly"):
        query(ledger, "DELETE FROM frames")
    with pytest.raises(LedgerUnread, match="no such column"):
        query(ledger, "SELECT colour FROM frames")
    with pytest.raises(LedgerUnread, match="no ledger yet"):
        query(ledger.with_name("none.sqlite"), "SELECT 1")


def test_a_slope_that_wild_points_dont_move() -> None:
    rng = np.random.default_rng(2)
    x = np.linspace(-5, 5, 200)
    y = 2.0 + 0.03 * x + rng.normal(0, 0.05, 200)
    y[::10] += 5
    slope = theil_slope(x, y)
    assert slope == pytest.approx(0.03, abs=0.008)
    assert theil_slope(x[:5], y[:5]) is None and theil_slope(np.zeros(20), y[:20]) is None


_KILLED = """
import os, sys
from datetime import UTC, datetime
from pathlib import Path
from campaigns.demo import demo_rig, quick_rig
from vigil.files.solver import Search
from vigil.ledger.importing import fits_in, import_frames
ledger, folder = map(Path, sys.argv[1:])
looked = []
def stop():
    if len(looked) == 2:
        os._exit(9)
    return False
for one in import_frames(ledger, fits_in([folder]), demo_rig(), datetime.now(UTC), Search(), stop=stop):
    looked.append(one)
"""


def test_an_import_that_is_killed_goes_on_where_it_was(tmp_path: Path) -> None:
    frames_on_disk(tmp_path / "other.sqlite", tmp_path / "frames", "heron-480", 4)
    for dark in (tmp_path / "frames").glob("dark*"):
        dark.unlink()
    ledger = tmp_path / "ledger.sqlite"
    done = subprocess.run([sys.executable, "-c", _KILLED, str(ledger), str(tmp_path / "frames")], cwd=ROOT)
    assert done.returncode == 9 and count(ledger) == 2
    store = LedgerStore(ledger)
    (left,) = store.unfinished("heron-480")
    store.close()
    assert left.kind == "import"
    again = list(import_frames(ledger, fits_in([tmp_path / "frames"]), demo_rig(), NOW, Search()))
    assert sum(bool(one.frame_id) for one in again) == 2 and count(ledger) == 4

    # the rig's next keeper puts on record that it was cut off
    async def nothing(_: Place) -> None:
        return None

    kept(tmp_path, nothing, rig=quick_rig())
    store = LedgerStore(ledger)
    assert store.unfinished("heron-480") == []
    assert {row.outcome for row in store.errands("heron-480") if row.kind == "import"} == {"cut off", "done"}
    store.close()
