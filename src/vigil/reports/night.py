"""What is told of a night: what was done and lost and why, its pictures and its courses."""

import io
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import numpy as np

from vigil.documents.events import Event, Kind
from vigil.documents.focusruns import runs_of
from vigil.documents.night import fold_all
from vigil.documents.plan import NightPlan
from vigil.documents.reasonlog import ReasonLog, Weight
from vigil.documents.rig import Rig
from vigil.documents.store import DocumentError, parse
from vigil.files.fits import BadFrame, read_frame, top_down
from vigil.imaging.shrink import shrunk
from vigil.imaging.stretch import auto_stretch, table
from vigil.ledger.reading import LedgerUnread, Sought, frames
from vigil.ledger.store import LedgerStore
from vigil.planning.account import account, closed_words

_PICTURE_PX = 520
_MOST_PICTURES = 4
_MOST_NOTES = 60


class NoReport(ValueError):
    """There is no such night, or nothing is known of it; the message says what there is."""


@dataclass(frozen=True, slots=True)
class Series:
    """Values against time; `role` tells several apart: "kept" frames are dots, others crosses."""

    name: str
    at: tuple[datetime, ...]
    values: tuple[float, ...]
    kept: tuple[bool, ...]


@dataclass(frozen=True, slots=True)
class Course:
    """A picture of series over the night."""

    title: str
    unit: str
    series: tuple[Series, ...]


@dataclass(frozen=True, slots=True)
class Shown:
    """A small picture as PNG, with its words."""

    words: str
    png: bytes
    width_px: int
    height_px: int


@dataclass(frozen=True, slots=True)
class LineDone:
    """What came of a line: `kept_h` by the verdicts."""

    target: str
    words: str
    wanted: str
    taken: int
    kept: int
    kept_h: float
    why: str


@dataclass(frozen=True, slots=True)
class NightReport:
    """Everything that a report has. Times are the site's, `zone` names it."""

    night: str
    evening: str
    rig: str
    site: str
    zone: str
    begins: datetime
    ends: datetime | None
    facts: tuple[tuple[str, str], ...]
    lines: tuple[LineDone, ...]
    lost: tuple[tuple[str, float], ...]
    doubtful: tuple[tuple[str, str], ...]
    """Lights that are not kept, with the reason."""
    courses: tuple[Course, ...]
    pictures: tuple[Shown, ...]
    notes: tuple[tuple[datetime, str, str], ...]

    def clock(self, moment: datetime) -> str:
        return f"{moment.astimezone(ZoneInfo(self.zone)):%H:%M}"


def report_of(ledger: Path, night: str, with_pictures: bool = True) -> NightReport:
    """Of a night by its name. Raises NoReport, LedgerUnread and LedgerError."""
    if not ledger.is_file():
        raise LedgerUnread(f"{ledger}: there is no ledger yet; it begins with the first night")
    store = LedgerStore(ledger)
    try:
        events = store.events(night)
    finally:
        store.close()
    started = next((e for e in events if e.kind is Kind.NIGHT_STARTED), None)
    if started is None:
        raise NoReport(f"no night is called {night!r}; vigil ledger nights lists them")
    state = fold_all(events)
    try:
        plan = parse(NightPlan, state.plan or "", f"the plan of {night}")
        rig = parse(Rig, state.rig or "", f"the rig of {night}")
    except DocumentError as problem:
        raise NoReport(f"{night}: its plan or rig can't be read: {problem}") from None
    lights = frames(ledger, Sought(errand=night))
    added = account(plan, events)
    lines = []
    for line in added.lines:
        mine = [f for f in lights if f["target"] == line.target and _words(f) == line.words]
        kept = [f for f in mine if f["standing"] == "kept"]
        lines.append(
            LineDone(
                line.target,
                line.words,
                str(line.wanted) if line.wanted else "as many as fit",
                line.taken,
                len(kept),
                sum(float(f["exposure_s"]) for f in kept) / 3600,
                line.why,
            )
        )
    over = added.ends
    exposed_s = sum(s.seconds for s in added.spells if s.kind == "exposure")
    runs = runs_of(events)
    focus = [run for run in runs if run.figures.get("accepted")]
    facts = [
        ("frames", added.frames_words),
        ("shutter open", _hours(exposed_s)),
        ("kept", _hours(sum(line.kept_h for line in lines) * 3600)),
        ("focus runs", f"{len(focus)} of {len(runs)} accepted" if runs else "none"),
        ("flips", str(len([s for s in added.of_kind("flip") if s.outcome == "done"]))),
        ("ended", added.end_reason or "not yet"),
    ]
    if added.closing:
        facts.append(("closing", closed_words(added.closing)))
    return NightReport(
        night=night,
        evening=str(started.values.get("evening", "")),
        rig=rig.name,
        site=rig.site.name,
        zone=rig.site.time_zone,
        begins=started.at,
        ends=over,
        facts=tuple(facts),
        lines=tuple(lines),
        lost=tuple((name, seconds) for name, seconds in added.lost_s.items() if seconds >= 60),
        doubtful=tuple(
            (_frame_words(f, rig), str(f["because"] or f["doubtful"] or "rejected by you"))
            for f in lights
            if f["standing"] != "kept"
        ),
        courses=_courses(lights),
        pictures=_pictures(lights, rig) if with_pictures else (),
        notes=_notes(events),
    )


def _words(frame: dict[str, object]) -> str:
    return f"{frame['filter'] or ''} {frame['exposure_s']:g} s".strip()


def _frame_words(frame: dict[str, object], rig: Rig) -> str:
    at = datetime.fromisoformat(str(frame["started_at"])).astimezone(ZoneInfo(rig.site.time_zone))
    return f"{at:%H:%M}  {frame['target']} {_words(frame)}"


def _hours(seconds: float) -> str:
    minutes = round(seconds / 60)
    return f"{minutes // 60} h {minutes % 60:02d} min" if minutes >= 60 else f"{minutes} min"


def _courses(lights: Sequence[dict[str, object]]) -> tuple[Course, ...]:
    made = []
    for title, unit, column in (
        ("star size (FWHM)", "px", "fwhm_px"),
        ("stars", "", "stars"),
        ("background", "ADU", "background_adu"),
        ("guiding, rms", "″", "guide_rms_arcsec"),
        ("tube", "°C", "tube_c"),
    ):
        series = []
        for through in dict.fromkeys(str(f["filter"] or "") for f in lights):
            mine = [f for f in lights if (f["filter"] or "") == through and f[column] is not None]
            if mine:
                series.append(
                    Series(
                        through,
                        tuple(datetime.fromisoformat(str(f["started_at"])) for f in mine),
                        tuple(float(str(f[column])) for f in mine),
                        tuple(f["standing"] == "kept" for f in mine),
                    )
                )
        if series:
            made.append(Course(title, unit, tuple(series)))
    return tuple(made)


def _pictures(lights: Sequence[dict[str, object]], rig: Rig) -> tuple[Shown, ...]:
    """The best kept light of each target and filter whose file is there, few of them."""
    best: dict[tuple[str, str], dict[str, object]] = {}
    for light in lights:
        key = str(light["target"]), str(light["filter"] or "")
        if light["standing"] == "kept" and light["fwhm_px"] and Path(str(light["path"])).exists():
            there = best.get(key)
            if there is None or float(str(light["fwhm_px"])) < float(str(there["fwhm_px"])):
                best[key] = light
    shown = []
    for light in list(best.values())[:_MOST_PICTURES]:
        try:
            frame = read_frame(Path(str(light["path"])))
        except BadFrame:
            continue
        image = frame.image if top_down(frame.header) else frame.image[::-1]
        small = np.rint(shrunk(image, max(1, max(image.shape) // _PICTURE_PX))).astype(np.uint16)
        tones = table(auto_stretch(small))[small]
        shown.append(Shown(_frame_words(light, rig), _png(tones), int(tones.shape[1]), int(tones.shape[0])))
    return tuple(shown)


def _png(tones: "np.ndarray") -> bytes:
    from PIL import Image

    out = io.BytesIO()
    Image.fromarray(tones).save(out, format="PNG", optimize=True)
    return out.getvalue()


def _notes(events: Sequence[Event]) -> tuple[tuple[datetime, str, str], ...]:
    """What was out of the ordinary."""
    log = ReasonLog()
    told = [sentence for event in events if (sentence := log.add(event)) is not None]
    unusual = [s for s in told if s.weight is not Weight.PLAIN]
    return tuple((s.at, s.what, s.why) for s in unusual[:_MOST_NOTES])


def night_of(ledger: Path, evening: str, rig: str = "") -> str:
    """The name of the latest night of an evening ("2027-01-12", or "last"). Raises NoReport."""
    from vigil.ledger.reading import nights

    known = nights(ledger, rig)
    found = [n for n in known if evening == "last" or evening in (n.evening, n.errand)]
    if not found:
        have = ", ".join(dict.fromkeys(n.evening for n in known[:8])) or "none yet"
        raise NoReport(f"there is no night of {evening!r}; there are {have}")
    return found[0].errand
