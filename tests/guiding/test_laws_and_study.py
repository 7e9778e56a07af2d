"""Control laws against known errors; records split, replayed and advised on."""

import json
from pathlib import Path

import numpy as np
import pytest
from numpy.typing import NDArray

from campaigns.demo import demo_rig
from campaigns.guidestudies import night
from vigil.cli import BAD_INPUT, main
from vigil.documents.rig import Rig
from vigil.documents.rig.change import with_values
from vigil.documents.store import load, save
from vigil.engine.guiding.loop import settings_of
from vigil.files.guidecsv import read_guide_record
from vigil.guiding.laws import AxisSettings, Predictive, law_of
from vigil.guiding.periods import strongest_waves
from vigil.guiding.record import AxisRecord, BadRecord, GuideRecord
from vigil.guiding.replay import CantReplay, replay, replay_many
from vigil.guiding.split import Split, split
from vigil.guiding.study import study
from vigil.simulator.air.seeing import _PARTS
from vigil.simulator.air.wandering import Mixture

Floats = NDArray[np.float64]


def guided(settings: AxisSettings, slow: Floats, air: Floats, step_s: float = 2.0) -> tuple[float, int]:
    """What is left of the slow error in the second half (rms), and how often the correction turned back."""
    law, done, left, sent = law_of(settings), 0.0, [], []
    for k, (own, seeing) in enumerate(zip(slow, air, strict=True)):
        left.append(own - done)
        pulse = law.correction(own + seeing - done, k * step_s, step_s)
        law.took(pulse)
        law.rest()
        done += pulse
        if pulse:
            sent.append(np.sign(pulse))
    return float(np.std(left[len(left) // 2 :])), int(np.count_nonzero(np.diff(sent)))


T_S = 2.0 * np.arange(1500)
WORM = 5 * np.sin(2 * np.pi * T_S / 480) + 1.5 * np.sin(2 * np.pi * T_S / 96 + 1)


@pytest.mark.parametrize("period_s", [480.0, None])
def test_the_predictive_law_learns_the_worm_and_goes_ahead_of_it(period_s: float | None) -> None:
    air = np.random.default_rng(1).normal(0, 0.4, T_S.size)
    plain = min(guided(AxisSettings("proportional", s, 0.0), WORM, air)[0] for s in (0.3, 0.5, 0.7))
    assert guided(AxisSettings("predictive", 0.7, 0.0, period_s=period_s), WORM, air)[0] < 0.6 * plain


@pytest.mark.parametrize("begins_s", [1300, 1920])
def test_it_learns_as_fast_wherever_on_the_worm_it_begins(begins_s: int) -> None:
    """Of the first frame only the sum of level and waves is known: to think the worm at its middle where it
    turns back misleads for half an hour."""
    sky = night(9)
    after = sky.parts("ra", begins_s, begins_s + 1600)
    known = AxisSettings(
        "predictive", 0.4, 0.0, period_s=sky.told["period_s"], wave_arcsec=sky.told["amplitude_arcsec"]
    )
    plain = replay(after, AxisSettings("proportional", 1.0, 0.0), 5.0)
    assert replay(after, known, 5.0).slow_rms_arcsec < 0.75 * plain.slow_rms_arcsec


def test_before_the_worm_has_gone_round_once_it_does_not_go_astray() -> None:
    """Drift, level and harmonics together explain half a turn of anything: what is thought of them before
    decides how the other half is foretold."""
    sky = night(101)
    first_turn = sky.parts("ra", 900, 1700)
    known = AxisSettings(
        "predictive", 0.4, 0.0, period_s=sky.told["period_s"], wave_arcsec=sky.told["amplitude_arcsec"]
    )
    plain = replay(first_turn, AxisSettings("proportional", 0.4, 0.0), 4.0)
    assert replay(first_turn, known, 4.0).slow_rms_arcsec < 1.06 * plain.slow_rms_arcsec


def test_without_a_worm_it_is_no_worse() -> None:
    rng = np.random.default_rng(2)
    for slow in (np.zeros(T_S.size), 0.02 * T_S, np.cumsum(rng.normal(0, 0.1, T_S.size))):
        air = rng.normal(0, 0.5, T_S.size)
        plain = min(guided(AxisSettings("proportional", s, 0.0), slow, air)[0] for s in (0.2, 0.5, 0.8))
        assert guided(AxisSettings("predictive", 0.8, 0.0), slow, air)[0] < 1.1 * plain


def test_the_damped_law_turns_back_far_less_often() -> None:
    rng = np.random.default_rng(3)
    slow, air = np.cumsum(rng.normal(0, 0.05, T_S.size)), rng.normal(0, 0.5, T_S.size)
    damped, turns = guided(AxisSettings("damped", 0.7, 0.3), slow, air)
    _, plain_turns = guided(AxisSettings("proportional", 0.7, 0.3), slow, air)
    assert turns < 0.1 * plain_turns and damped < 1.0


def test_one_sided_goes_with_the_drift_s_opposite_only() -> None:
    air = np.random.default_rng(4).normal(0, 0.3, T_S.size)
    for way in (1, -1):
        left, turns = guided(AxisSettings("one-sided", 0.6, 0.2), way * 0.02 * T_S, air)
        assert left < 0.5 and turns < 60, "both ways only until the drift is known"
    law = law_of(AxisSettings("one-sided", 0.6, 0.2, towards=1))
    assert law.correction(1.0, 0.0, 1.0) == 0.6 and law.correction(-1.0, 1.0, 1.0) == 0.0


def test_waves_are_found_and_none_in_noise() -> None:
    rng = np.random.default_rng(5)
    found = strongest_waves(T_S, WORM + 0.01 * T_S + rng.normal(0, 0.5, T_S.size), 20.0, 2000.0)
    assert [round(w.period_s) for w in found[:2]] == [480, 96]
    assert [w.amplitude_arcsec for w in found[:2]] == pytest.approx([5.0, 1.5], rel=0.05)
    for seed in range(20):
        noise = np.random.default_rng(seed).normal(0, 0.5, 400)
        assert not strongest_waves(2.0 * np.arange(400), noise, 20.0, 600.0)


def air_of(seed: int, frames: int, step_s: float, rms: float) -> Floats:
    """The simulator's dance, as frames average it."""
    axis = Mixture(_PARTS, seed, 300)
    return rms * np.array([axis.mean(k * step_s, (k + 1) * step_s) for k in range(frames)])


def record(
    seed: int, strength: float = 0.0, frames: int = 900, step_s: float = 1.0
) -> tuple[GuideRecord, dict[str, float]]:
    """With the truth."""
    at = step_s * (np.arange(frames) + 0.5)
    axes, truth = [], {}
    worm = 4 * np.sin(2 * np.pi * at / 400) + 1.2 * np.sin(2 * np.pi * at / 200 + 1)
    for name, slow in (("ra", worm + 0.004 * at), ("dec", 0.015 * at)):
        air = air_of(seed + len(axes), frames, step_s, 0.9)
        done, where, pulses = 0.0, [], []
        for own, seeing in zip(slow, air, strict=True):
            where.append(own + seeing - done)
            done += strength * where[-1]
            pulses.append(1000 * strength * where[-1] / 7.5)
        axes.append(AxisRecord(at, np.array(where), np.array(pulses), 7.5))
        truth |= {f"{name} seeing": float(air.std()), f"{name} slow": float(slow.std())}
    return GuideRecord(axes[0], axes[1], np.full(frames, 40.0)), truth


@pytest.mark.parametrize("strength", [0.0, 0.6])
def test_seeing_and_the_mount_are_told_apart(strength: float) -> None:
    kept, truth = record(11, strength)
    for name, axis in (("ra", kept.ra), ("dec", kept.dec)):
        parts = split(axis.at_s, axis.uncorrected_arcsec())
        assert parts.seeing_rms_arcsec == pytest.approx(truth[f"{name} seeing"], rel=0.1)
        assert parts.slow_rms_arcsec == pytest.approx(truth[f"{name} slow"], rel=0.1)
    assert split(kept.dec.at_s, kept.dec.uncorrected_arcsec()).drift_arcsec_min == pytest.approx(0.9, rel=0.1)


def test_a_walk_is_no_seeing() -> None:
    rng = np.random.default_rng(6)
    at = np.arange(1200.0)
    walk, air = np.cumsum(rng.normal(0, 0.12, 1200)), air_of(7, 1200, 1.0, 0.8)
    parts = split(at, walk + air)
    assert parts.seeing_rms_arcsec == pytest.approx(air.std(), rel=0.12)
    assert np.corrcoef(parts.slow_arcsec, walk)[0, 1] > 0.95


def test_a_replay_is_what_guiding_makes_of_it() -> None:
    """A record without corrections, played, against the same night guided."""
    free, _ = record(21)
    parts = split(free.ra.at_s, free.ra.uncorrected_arcsec())
    for strength in (0.3, 0.8):
        really, _ = record(21, strength)
        played = replay(parts, AxisSettings("proportional", strength, 0.0, 10_000), 1.0)
        (alike,) = replay_many(parts, [strength], [0.0], 1.0)[0]
        assert played.measured_rms_arcsec == pytest.approx(
            float(np.std(really.ra.where_arcsec[90:])), rel=0.05
        )
        assert alike.slow_rms_arcsec == pytest.approx(played.slow_rms_arcsec)
    with pytest.raises(CantReplay, match="a frame every"):
        replay(parts, AxisSettings(), 0.5)
    with pytest.raises(CantReplay, match="only"):
        replay(parts, AxisSettings(), 60.0)


def test_the_advice_is_near_the_best_on_the_true_sky() -> None:
    kept, _ = record(31)
    found = study(kept)
    assert found.enough and found.ra.best.slow_rms_arcsec < 0.3 * found.ra.present_rms_arcsec
    at = kept.ra.at_s
    true_slow = 4 * np.sin(2 * np.pi * at / 400) + 1.2 * np.sin(2 * np.pi * at / 200 + 1) + 0.004 * at
    truth = Split(at, true_slow, air_of(31, at.size, 1.0, 0.9), 0.0, (), 0.0)
    best = min(
        played.slow_rms_arcsec
        for exposure_s in (1.0, 2.0, 3.0)
        for row in replay_many(
            truth, [0.1, 0.2, 0.3, 0.4, 0.5, 0.6, 0.7, 0.8, 0.9], [0.0, 0.2, 0.4], exposure_s
        )
        for played in row
    )
    advised = replay(truth, found.ra.best.settings, found.exposure_s)
    assert advised.slow_rms_arcsec < 1.1 * best


def test_a_short_record_says_how_much_more_is_needed() -> None:
    kept, _ = record(41, frames=80)
    found = study(kept)
    assert not found.enough and found.more_min == pytest.approx(2.7, abs=0.3)
    assert "80 frames, 100 are needed" in found.missing


HEAD = "time_s,ra_arcsec,dec_arcsec,ra_pulse_ms,dec_pulse_ms,snr\n"


def written(path: Path, kept: GuideRecord) -> str:
    ra, dec = kept.ra, kept.dec
    rows = zip(ra.at_s, ra.where_arcsec, dec.where_arcsec, ra.pulse_ms, dec.pulse_ms, kept.snr, strict=True)
    path.write_text(HEAD + "\n".join(",".join(f"{v:.5f}" for v in row) for row in rows) + "\n")
    return str(path)


def test_the_command_line_tells_and_plays(tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    kept, truth = record(51, frames=300, step_s=3.0)
    name = written(tmp_path / "own.csv", kept)
    assert main(["guide", "study", name, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert told["seeing_rms_arcsec"]["ra"] == pytest.approx(truth["ra seeing"], rel=0.1)
    assert told["drift_arcsec_min"]["dec"] == pytest.approx(0.9, rel=0.1) and told["enough"]
    assert told["periodic"][0]["period_s"] == pytest.approx(400, rel=0.03)
    assert told["predicted_rms_arcsec"]["total"] < told["present_rms_arcsec"]["total"]
    assert set(told["advice"]) == {"exposure_s", "ra", "dec"}
    rig = tmp_path / "rig.json"
    save(demo_rig(), rig)
    assert main(["guide", "study", name, "--rig", str(rig), "--take-over"]) == 0
    said, guider = capsys.readouterr().out, load(Rig, rig).guider
    assert guider is not None and "advice: exposures of" in said
    assert guider.exposure_s == told["advice"]["exposure_s"]
    assert guider.ra.model_dump(include=set(told["advice"]["ra"])) == told["advice"]["ra"]
    # what the law was promised for is what it will be given
    law = law_of(settings_of(guider.ra))
    assert isinstance(law, Predictive) and law.period_s == pytest.approx(400, rel=0.03)
    assert f"a worm of {guider.ra.period_s:g} s" in said
    without = tmp_path / "without.json"
    save(with_values(demo_rig(), {("guider",): None}), without)
    assert main(["guide", "study", name, "--rig", str(without), "--take-over"]) == 2
    assert "has no guider" in capsys.readouterr().err
    words = [
        "--exposure",
        "4",
        "--ra-strength",
        "0.5",
        "--ra-dead-band-arcsec",
        "0.1",
        "--dec-strength",
        "0.4",
    ]
    assert main(["guide", "replay", name, *words, "--dec-dead-band-arcsec", "0", "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert 0 < told["ra"]["slow_rms_arcsec"] < told["ra"]["measured_rms_arcsec"] < 1
    assert told["dec"]["corrected_share"] == 1
    assert main(["guide", "study", name, "--ra-strength", "1"]) == BAD_INPUT
    assert main(["guide", "replay", name, "--exposure", "0.2"]) == BAD_INPUT
    assert "a frame every 3.00 s" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "empty"),
        ("time_s,ra_arcsec\n1,2\n", "no column 'dec_arcsec'"),
        ("time_s,ra_arcsec,dec_arcsec\n1,x,2\n", "row 2: ra_arcsec 'x' is no number"),
        ("time_s,ra_arcsec,dec_arcsec\n1,1e12,2\n", "out of all reason"),
        ("time_s,ra_arcsec,dec_arcsec\n1,1,2\n", "at least 20 are needed"),
        ("time_s,ra_arcsec,dec_arcsec\n" + "5,1,2\n" * 30, "times must grow"),
        ("time_s,ra_arcsec,dec_arcsec,ra_rate_arcsec_s\n" + "5,1,2,-3\n" * 30, "must be over 0"),
    ],
)
def test_tables_that_are_no_record(tmp_path: Path, text: str, words: str) -> None:
    (tmp_path / "x.csv").write_text(text)
    with pytest.raises(BadRecord, match=words):
        read_guide_record(tmp_path / "x.csv")


def test_rows_without_a_star_keep_their_pulses(tmp_path: Path) -> None:
    rows = [f"{k},{0.1 * k:.1f},0,100,0,20" for k in range(30)]
    rows[10] = "10,,,300,0,"
    (tmp_path / "x.csv").write_text(
        "time_s,ra_arcsec,dec_arcsec,ra_pulse_ms,dec_pulse_ms,snr\n" + "\n".join(rows)
    )
    kept = read_guide_record(tmp_path / "x.csv")
    assert len(kept.ra.at_s) == 29 and kept.ra.pulse_ms[9] == 400
