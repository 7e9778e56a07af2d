"""What is read, and what it is called, can't harm: names, numbers, programs, damaged files and ledgers."""

import asyncio
import gzip
import json
import zlib
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import tifffile
from astropy.io import fits

from campaigns.demo import quick_rig, short_plan
from campaigns.night import play
from vigil.documents.events import Event, Kind
from vigil.documents.messages import Ask, Command
from vigil.documents.plan import NightPlan
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.scenario import Scenario
from vigil.documents.store import DocumentError, dump, load, parse
from vigil.files.claims import BadClaim, look_at_fits
from vigil.files.fits import BadFrame, read_fits, read_frame, read_header, write_frame
from vigil.files.names import frame_path, plain_ascii, safe
from vigil.files.pictures import read_picture
from vigil.keeper.keeper import Keeper
from vigil.ledger.ledger import Ledger
from vigil.link.loopback import Loopback
from vigil.runtime import allowed
from vigil.runtime.simulated import run_virtual, simulated_loop


@pytest.mark.parametrize(
    ("name", "plainly"),
    [
        ("Barnard’s Loop", "Barnard's Loop"),
        ("Nébuleuse α", "Nebuleuse alpha"),
        ("Sh2-240 – Spaghetti", "Sh2-240 - Spaghetti"),
        ("小さな星雲", "?????"),
        ("x" * 100, "x" * 68),
    ],
)
def test_any_name_goes_into_a_header(tmp_path: Path, name: str, plainly: str) -> None:
    write_frame(tmp_path / "frame.fits", np.zeros((8, 8), np.uint16), {"OBJECT": (name, "")})
    assert read_frame(tmp_path / "frame.fits").header["OBJECT"] == plainly


def test_a_night_on_a_target_with_an_unusual_name(tmp_path: Path) -> None:
    name, plan = "小さな Barnard’s Loop α", short_plan(count=1)
    block = plan.blocks[0]
    target = block.target.model_copy(update={"name": name})
    plan = plan.model_copy(update={"blocks": [block.model_copy(update={"target": target})]})
    rig = with_values(quick_rig(focuser=None), {("camera", "name"): "Kamera Müller"})
    played = play(rig, plan, tmp_path, 2)
    assert played.events[-1].values["frames"] == 2
    header = read_frame(Path(played.frames[0]["path"])).header
    assert header["OBJECT"] == "??? Barnard's Loop alpha" and header["INSTRUME"] == "Kamera Muller"
    assert played.frames[0]["target"] == name, "the ledger has it as it is"


def test_names_for_files_are_short_and_stay_in_their_folder(tmp_path: Path) -> None:
    assert plain_ascii("Hα 5′") == "Halpha 5'" and plain_ascii("\x1b]0;x\x07") == "?]0;x?"
    assert len(safe("n" * 400)) == 80
    path = frame_path(tmp_path, "{target}/{filter}_{number}", {"target": "../" * 40, "filter": "é" * 300})
    assert path.is_relative_to(tmp_path) and ".." not in path.parts and len(path.name.encode()) < 255


@pytest.mark.parametrize("bad", ["x/../../y", "../y", ".hidden", "", "a" * 81, "a\x00b"])
def test_ids_are_no_paths(bad: str) -> None:
    data = json.loads(dump(short_plan()))
    data["blocks"][0]["steps"] = [{"kind": "test exposure", "id": bad, "filter": "L", "exposure_s": 5}]
    with pytest.raises(DocumentError, match=r"blocks\.0\.steps\.0.*id"):
        parse(NightPlan, json.dumps(data), "it")


@pytest.mark.parametrize(
    ("place", "value"),
    [
        (("blocks", 0, "span", "closes", "minutes"), 1e12),
        (("blocks", 0, "span", "closes", "minutes"), 2147483648),
        (("blocks", 0, "span", "closes", "minutes"), float("nan")),
        (("blocks", 0, "lines", 0, "count"), 10**400),
        (("blocks", 0, "lines", 0, "exposure_s"), 1e-300),
        (("blocks", 0, "target", "name"), "\x1b]0;owned\x07"),
        (("orders", "focus_every_min"), float("inf")),
    ],
)
def test_no_number_or_name_is_more_than_can_be_borne(place: tuple[Any, ...], value: Any) -> None:
    data = json.loads(dump(short_plan()))
    here = data
    for step in place[:-1]:
        here = here[step]
    here[place[-1]] = value
    with pytest.raises(DocumentError):
        parse(NightPlan, json.dumps(data), "it")


def test_rigs_and_scenarios_are_held_to_the_same() -> None:
    for model, text, old, new in (
        (Rig, dump(quick_rig()), '"focal_length_mm": 480.0', '"focal_length_mm": 1e300'),
        (Rig, dump(quick_rig()), '"steps_per_c": ', '"steps_per_c": NaN, "x": '),
        (Scenario, dump(Scenario()), '"overcast_mag": 0.0', '"overcast_mag": Infinity'),
    ):
        assert old in text, old
        with pytest.raises(DocumentError):
            parse(model, text.replace(old, new, 1), "it")  # type: ignore[type-var]


@pytest.mark.parametrize(
    "text", ["[" * 200_000, '{"a":' * 100_000, '{"kind": "night plan", "schema": ' + "9" * 5000 + "}"]
)
def test_documents_are_read_in_bounds(tmp_path: Path, text: str) -> None:
    path = tmp_path / "plan.json"
    path.write_text(text)
    with pytest.raises(DocumentError):
        load(NightPlan, path)
    with pytest.raises(DocumentError, match="it is no file"):
        load(NightPlan, Path("/dev/zero"))
    path.write_bytes(b"\xef\xbb\xbf" + dump(short_plan()).encode())
    assert load(NightPlan, path) == short_plan(), "a byte order mark is no fault"


# -- pictures ---------------------------------------------------------------------------------------


def plain_fits(path: Path, rows: int = 40) -> bytes:
    image = np.random.default_rng(1).integers(0, 60000, (rows, 64)).astype(np.uint16)
    write_frame(path, image, {"FILTER": ("Ha", "")})
    return path.read_bytes()


@pytest.mark.parametrize(
    ("old", "new", "said"),
    [
        (b"NAXIS   =                    2", b"NAXIS   = 99999999999999999999", "no file is so large"),
        (b"BITPIX  =                   16", b"BITPIX  =                  1.5", "not a whole number"),
        (b"NAXIS1  =                   64", b"NAXIS1  =            400000000", "its header promises"),
        (b"NAXIS1  =                   64", b"NAXIS1  =                  -64", "less than nothing"),
        (b"SIMPLE  =", b"SIMPLY  =", "not a FITS file"),
        (b"END" + b" " * 77, b"ENDE" + b" " * 76, "has no end|longer than"),
    ],
)
def test_a_header_is_looked_at_before_anything_is_loaded(
    tmp_path: Path, old: bytes, new: bytes, said: str
) -> None:
    path = tmp_path / "it.fits"
    whole = plain_fits(path)
    assert old in whole
    path.write_bytes(whole.replace(old, new, 1))
    with pytest.raises(BadFrame, match=said) as caught:
        read_fits(path)
    assert str(path) in str(caught.value)
    assert isinstance(read_header(path), dict)


def test_damaged_compression_and_bombs(tmp_path: Path) -> None:
    whole = plain_fits(tmp_path / "it.fits")
    zipped = tmp_path / "it.fits.gz"
    zipped.write_bytes(gzip.compress(whole))
    assert read_picture(zipped).planes.shape == (40, 64)
    broken = bytearray(gzip.compress(whole))
    broken[len(broken) // 2] ^= 0xFF
    zipped.write_bytes(broken)
    with pytest.raises(BadFrame, match="damaged"):
        read_fits(zipped)
    packer = zlib.compressobj(9, wbits=31)
    zeros = bytes(10_000_000)
    bomb = b"".join(packer.compress(zeros) for _ in range(60)) + packer.flush()
    zipped.write_bytes(bomb)
    with pytest.raises(BadClaim, match="nothing so large is read"):
        look_at_fits(zipped)
    tiff = tmp_path / "bomb.tif"
    tifffile.imwrite(tiff, np.zeros((30, 40), np.uint16), compression="zlib")
    assert read_picture(tiff).planes.shape == (30, 40)
    claim = bytearray(tiff.read_bytes())
    at = claim.find(b"\x01\x01\x03\x00")  # the tag of its rows
    claim[at - 12 + 8 : at - 12 + 12] = (900_000).to_bytes(4, "little")
    claim[at + 8 : at + 12] = (900_000).to_bytes(4, "little")
    tiff.write_bytes(claim)
    with pytest.raises(BadFrame):
        read_picture(tiff)


def test_a_compressed_frame_is_unpacked_in_a_process_of_its_own(tmp_path: Path) -> None:
    image = np.random.default_rng(1).integers(0, 900, (60, 80)).astype(np.int16)
    path = tmp_path / "packed.fits"
    fits.HDUList([fits.PrimaryHDU(), fits.CompImageHDU(image, compression_type="RICE_1")]).writeto(path)
    assert np.array_equal(read_fits(path).image, image)
    whole = bytearray(path.read_bytes())
    for n in range(5):  # its packed bytes, near the end
        whole[-2880 + 37 * n] ^= 0xFF
    path.write_bytes(whole)
    try:
        assert read_fits(path).image.shape == image.shape
    except BadFrame as problem:
        assert str(path) in str(problem)


# -- programs, and nights that make no sense ----------------------------------------------------------


def test_a_strangers_plan_runs_nothing_unasked(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    from dataclasses import replace

    from campaigns import night as nights
    from vigil.documents.steps import RunProgram

    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    plan = short_plan(count=1).model_copy(update={"opening": [RunProgram(id="p", arguments=["true", "x"])]})
    assert plan.programs == [["true", "x"]] and allowed.not_allowed(plan.programs) == plan.programs
    equip = nights.equip
    monkeypatch.setattr(
        nights, "equip", lambda *a, **k: replace(equip(*a, **k), programs_not_allowed=allowed.not_allowed)
    )
    with pytest.raises(ValueError, match="nobody here has allowed yet: true x"):
        play(quick_rig(), plan, tmp_path, quick=True)
    allowed.allow(plan.programs)
    assert allowed.not_allowed([["true", "x"], ["true", "y"]]) == [["true", "y"]]
    assert play(quick_rig(), plan, tmp_path, quick=True).events[-1].values["frames"] == 2


@pytest.mark.parametrize("harm", ["plan", "folder", "body", "kind"])
def test_an_unfinished_night_that_makes_no_sense_is_closed(tmp_path: Path, harm: str) -> None:
    """And the rig is free again, where it could never be used any more."""
    from campaigns.night import QuickMeasurer, ScenarioClock, SimObservatory, Workshop
    from vigil.cli.assemble import equip

    rig = quick_rig()
    assert rig.simulated is not None

    async def main() -> tuple[list[Event], bool]:
        at = datetime(2027, 1, 12, 17, tzinfo=UTC)
        ledger = Ledger(tmp_path / "ledger.sqlite")
        values: dict[str, Any] = {
            "rig_id": rig.id, "evening": "2027-01-12", "wanted": 4, "frames_folder": str(tmp_path),
            "plan": dump(short_plan()), "rig": dump(rig),
        }  # fmt: skip
        if harm == "plan":
            values["plan"] = "{"
        if harm == "folder":
            del values["frames_folder"]
        await ledger.add(Event(errand="n", at=at, kind=Kind.NIGHT_STARTED, values=values, reason="it begins"))
        if harm in ("body", "kind"):
            kind, body = ("waiting", "{") if harm == "body" else ("danced", "{}")
            ledger._store._db.execute(
                "INSERT INTO events (errand, at, kind, body, reason) VALUES ('n', ?, ?, ?, '')",
                (at.isoformat(), kind, body),
            )
        clock, workshop = ScenarioClock(at), Workshop(0)
        observatory = SimObservatory(rig, 1, clock, workshop, quick=True)
        equipment = equip(rig, observatory, clock, workshop, tmp_path, tmp_path, measurer=QuickMeasurer())
        keeper = Keeper(equipment, ledger, pace=simulated_loop())
        await keeper.take_up()
        link, keeping = Loopback(keeper), asyncio.ensure_future(keeper.run())
        told: list[Event] = []
        async for news in link.news():
            if isinstance(news, Event):
                told.append(news)
                if news.kind is Kind.NIGHT_RESUMED and harm in ("body", "kind"):
                    await link.ask(Ask(id="x", command=Command.END))
                if news.kind is Kind.NIGHT_OVER:
                    break
        await asyncio.sleep(1)
        ask = Ask(id="y", command=Command.START, values={"plan": short_plan().model_dump(mode="json")})
        again = await link.ask(ask)
        keeper.end("the test is over")
        await asyncio.wait({keeping})
        ledger.close()
        return told, again.taken

    told, again = run_virtual(main())
    assert told[-1].kind is Kind.NIGHT_OVER and again
    if harm in ("plan", "folder"):
        assert "it could not be resumed" in told[-1].reason
