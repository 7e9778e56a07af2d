"""Reports of the demo's nights, and the history itself."""

import lzma
import re
import sqlite3
from contextlib import closing
from pathlib import Path

import pytest

from vigil.cli.demohistory import lay_in_history
from vigil.cli.files import demo_file
from vigil.documents.project import Project
from vigil.documents.store import load
from vigil.ledger.accounts import lost_by_night
from vigil.ledger.reading import hours, nights
from vigil.ledger.store import SCHEMA, LedgerStore
from vigil.planning.progress import count_up
from vigil.reports.night import NoReport, night_of, report_of
from vigil.reports.page import as_page
from vigil.reports.pdf import as_pdf
from vigil.reports.text import as_text


@pytest.fixture(scope="module")
def ledger(tmp_path_factory: pytest.TempPathFactory) -> Path:
    path = tmp_path_factory.mktemp("history") / "ledger.sqlite"
    path.write_bytes(lzma.decompress(demo_file("history.sqlite.xz").read_bytes()))
    return path


def test_the_history_is_ready_as_it_is(ledger: Path) -> None:
    """Of today's schema, of three weeks, two projects half done, and of no machine's folders."""
    with closing(sqlite3.connect(f"file:{ledger}?mode=ro", uri=True)) as base:
        assert base.execute("PRAGMA user_version").fetchone()[0] == SCHEMA
        text = "\n".join(row[0] for row in base.execute("SELECT body FROM events"))
    assert not re.search(r"/(root|home|tmp|work)/", text)
    assert len(nights(ledger)) == 10
    rows = [(r.target, r.filter, r.rig, r.standing, r.frames, r.hours) for r in hours(ledger)]
    for path in demo_file("projects").glob("*.json"):
        project = load(Project, path)
        kept = sum(c.kept_h for c in count_up(project, rows))
        assert 0.2 < kept / sum(g.wanted_h for g in project.goals) < 0.9


def test_history_is_laid_in_only_where_nothing_is(own_folders: Path, tmp_path: Path) -> None:
    ledger = tmp_path / "d" / "vigil" / "ledger.sqlite"
    assert lay_in_history(ledger) and not lay_in_history(ledger)
    assert len(list((tmp_path / "d" / "vigil" / "projects").glob("*.json"))) == 2


def test_the_report_says_what_the_ledger_has(ledger: Path) -> None:
    night = night_of(ledger, "2027-01-09")
    row = next(n for n in nights(ledger) if n.errand == night)
    report = report_of(ledger, night)
    assert sum(line.taken for line in report.lines) <= row.frames
    assert sum(line.kept_h for line in report.lines) == pytest.approx(row.kept_h)
    assert len(report.doubtful) == row.doubtful + row.rejected
    lost = next(n for n in lost_by_night(ledger) if n.evening == "2027-01-09")
    assert dict(report.lost) == {name: s for name, s in lost.lost_s.items() if s >= 60}
    assert {c.title for c in report.courses} >= {"star size (FWHM)", "stars", "guiding, rms"}


def test_text_page_and_pdf_of_the_last_night(ledger: Path) -> None:
    report = report_of(ledger, night_of(ledger, "last"))
    text, page, pdf = as_text(report), as_page(report), as_pdf(report)
    for line in report.lines:
        assert f"{line.target} {line.words}" in text and line.target in page
    assert page.count("<svg") == len(report.courses) and "<script" not in page and "http" not in page
    assert pdf.startswith(b"%PDF") and len(pdf) > 10_000
    # each frame is a mark in the picture of star sizes
    marks = page.count("<circle") + page.count("<path")
    assert marks == sum(len(s.at) for c in report.courses for s in c.series)


def test_names_are_escaped(ledger: Path, tmp_path: Path) -> None:
    other = tmp_path / "ledger.sqlite"
    other.write_bytes(ledger.read_bytes())
    with closing(sqlite3.connect(other)) as base:
        base.execute("UPDATE events SET body = replace(body, 'Larch Hollow', 'Larch <b>Hollow')")
        base.commit()
    page = as_page(report_of(other, night_of(other, "last")))
    assert "<b>" not in page and "&lt;b&gt;" in page


def test_no_such_night(ledger: Path) -> None:
    with pytest.raises(NoReport, match="there are 2027"):
        night_of(ledger, "2026-02-30")
    with pytest.raises(NoReport, match="no night is called"):
        report_of(ledger, "other")


def test_a_night_under_way_has_a_report_too(ledger: Path, tmp_path: Path) -> None:
    path = tmp_path / "half.sqlite"
    store, source = LedgerStore(path), LedgerStore(ledger)
    night = night_of(ledger, "2027-01-06")
    for event in source.events(night)[:400]:
        store.add(event)
    store.close()
    source.close()
    report = report_of(path, night)
    assert report.ends is None and dict(report.facts)["ended"] == "not yet"
    assert as_text(report) and as_page(report) and as_pdf(report)
