"""`vigil ledger`: every night and frame there is."""

import argparse
import json
from collections.abc import Callable
from contextlib import ExitStack
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, cast

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, evening_wanted, load_document, my_rigs, needs, rig_path
from vigil.cli.ledgers import ledger_of
from vigil.documents.project import Projects
from vigil.documents.rig import Rig
from vigil.files.atomic import write_bytes
from vigil.files.camerahealth import camera_health
from vigil.files.solver import Search
from vigil.files.trouble import why
from vigil.ledger.accounts import lost_by_night
from vigil.ledger.backup import back_up, restore
from vigil.ledger.csvfiles import frames_csv, nights_csv
from vigil.ledger.framefolders import folders_with_frames
from vigil.ledger.handover import USUAL_NAMING, Gathering, HandedOver, gathering, hand_over
from vigil.ledger.importing import Imported, fits_in, import_frames
from vigil.ledger.importtable import import_table
from vigil.ledger.judged import NotJudged, Word, judge_by_hand
from vigil.ledger.projecthours import limits_of
from vigil.ledger.reading import LedgerUnread, Sought, frames, nights, query
from vigil.ledger.reconcile import reconcile
from vigil.ledger.standings import judge_new
from vigil.ledger.store import LedgerError
from vigil.reports.night import NoReport, night_of, report_of
from vigil.reports.text import as_text
from vigil.runtime.folders import ledger_file, own_catalogue_folder, projects_folder

_WORDS = {
    "query": (1, 'a question, as "SELECT target, count(*) FROM frames GROUP BY 1"'),
    "export": (2, "WHAT FILE, as frames lights.csv"),
    "judge": (2, "FRAME kept|rejected|undecided"),
    "gather": (2, "TARGET FOLDER"),
    "backup": (1, "FILE"),
    "restore": (1, "FILE"),
}


def run(args: argparse.Namespace) -> int:
    """0 done, 3 done but not all of it, 2 bad input."""
    wanted = _WORDS.get(args.action)
    if wanted is not None and len(args.words) != wanted[0]:
        raise BadInput(needs("ledger", args.action, wanted[1]))
    try:
        return _ACTIONS[args.action](args)
    except (LedgerUnread, LedgerError, NoReport, NotJudged) as problem:
        raise BadInput(str(problem)) from None


def _rig(args: argparse.Namespace) -> Rig:
    return load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))


def _ledger(args: argparse.Namespace) -> Path:
    """With what a rig had of its own once."""
    return ledger_of(_rig(args).id) if args.rig else ledger_file()


def _rig_id(args: argparse.Namespace) -> str:
    return _rig(args).id if args.rig else ""


def _judged(ledger: Path) -> None:
    projects = Projects(projects_folder()).all()
    judge_new(ledger, lambda target: limits_of(projects, target))


def _sought(args: argparse.Namespace) -> Sought:
    evening = str(evening_wanted("--evening", args.evening)) if args.evening else ""
    targets = (args.target,) if args.target else ()
    return Sought(_rig_id(args), targets, args.filter, evening, standing=args.standing or "")


def _say(args: argparse.Namespace, told: Any, words: str) -> None:
    print(json.dumps(told, ensure_ascii=False) if args.json else words)


def _nights(args: argparse.Namespace) -> int:
    ledger = _ledger(args)
    _judged(ledger)
    found = nights(ledger, _rig_id(args))
    told = [
        {
            "night": n.errand,
            "evening": n.evening,
            "rig": n.rig,
            "began_at": n.began_at,
            "over_at": n.over_at,
            "outcome": n.outcome,
            "frames": n.frames,
            "taken_h": round(n.taken_h, 3),
            "kept_h": round(n.kept_h, 3),
            "doubtful": n.doubtful,
            "rejected": n.rejected,
            "targets": list(n.targets),
        }
        for n in found
    ]
    lines = [
        f"{n.evening}  {n.rig:<12} {n.frames:4} frames  {n.taken_h:5.1f} h taken  {n.kept_h:5.1f} h kept"
        f"  {', '.join(n.targets)}"
        for n in found
    ]
    _say(args, {"nights": told}, "\n".join(lines) or "no nights yet")
    return OK


def _frames(args: argparse.Namespace) -> int:
    ledger = _ledger(args)
    _judged(ledger)
    found = frames(ledger, _sought(args), args.most or -1)
    lines = []
    for f in found:
        size = f"{f['fwhm_px']:.2f} px" if f["fwhm_px"] else "no size"
        reason = f": {f['because'] or f['doubtful']}" if f["because"] or f["doubtful"] else ""
        moment = f"{datetime.fromisoformat(f['started_at']):%Y-%m-%d %H:%M}"
        what = f"{f['target']} {f['filter'] or ''} {f['exposure_s']:g} s"
        lines.append(
            f"{moment}  {what}  {size}, {f['stars'] or 0} stars  {f['standing']}{reason}  {f['frame_id']}"
        )
    _say(args, {"frames": found}, "\n".join(lines) or "no such frames")
    return OK


def _trends(args: argparse.Namespace) -> int:
    ledger = _ledger(args)
    _judged(ledger)
    rig_id = _rig_id(args)
    figures: dict[tuple[str, str], list[dict[str, Any]]] = {}
    for frame in frames(ledger, Sought(rig_id)):
        figures.setdefault((frame["evening"], frame["rig"]), []).append(frame)
    lost = {(n.evening, n.rig): n for n in lost_by_night(ledger) if not rig_id or n.rig == rig_id}
    told = []
    for key in sorted({*figures, *lost}):
        mine = figures.get(key, [])
        of_night = lost.get(key)
        told.append(
            {
                "evening": key[0],
                "rig": key[1],
                "lights": len(mine),
                **{
                    name: _median(mine, name)
                    for name in (
                        "fwhm_px",
                        "elongation",
                        "stars",
                        "background_adu",
                        "guide_rms_arcsec",
                        "tube_c",
                        "air_mass",
                    )
                },
                "lost_min": {k: round(s / 60, 1) for k, s in of_night.lost_s.items()} if of_night else {},
                "exposed_h": round(of_night.exposed_s / 3600, 2) if of_night else None,
            }
        )
    lines = [
        f"{t['evening']}  {t['rig']:<12} {t['lights']:4} lights  FWHM {t['fwhm_px'] or 0:.2f} px  "
        f"guiding {t['guide_rms_arcsec'] or 0:.2f}″  "
        + "; ".join(f"{minutes:.0f} min lost: {name}" for name, minutes in list(t["lost_min"].items())[:2])
        for t in told
    ]
    rig = _rig(args)
    each = rig.camera.at_gain(rig.camera.lights.gain or 0).electrons_per_adu if rig.camera else 1.0
    darks = [
        {
            "at": day.at.isoformat(),
            "camera": day.camera,
            "temperature_c": day.temperature_c,
            "gain": day.gain,
            "dark_e_s": round(day.dark_e_s, 5),
            "hot_share": round(day.hot_share, 6),
        }
        for day in camera_health(folders_with_frames(rig, ledger), each)
    ]
    lines += [
        f"{d['at'][:10]}  {d['camera']}: {d['dark_e_s']:.4f} e-/s, {100 * d['hot_share']:.3f} % hot pixels"
        for d in darks
    ]
    _say(args, {"nights": told, "darks": darks}, "\n".join(lines) or "no nights yet")
    return OK


def _median(rows: list[dict[str, Any]], name: str) -> float | None:
    from statistics import median

    known = [row[name] for row in rows if row[name] is not None]
    return round(float(median(known)), 3) if known else None


def _query(args: argparse.Namespace) -> int:
    ledger = _ledger(args)
    _judged(ledger)
    columns, rows = query(ledger, args.words[0])
    if args.json:
        print(json.dumps({"columns": columns, "rows": rows}, ensure_ascii=False))
    else:
        print("\t".join(columns))
        for row in rows:
            print("\t".join("" if value is None else str(value) for value in row))
    return OK


def _export(args: argparse.Namespace) -> int:
    what, path = args.words[0], Path(args.words[1])
    if what not in ("frames", "nights"):
        raise BadInput(f"export: {what!r} is neither frames nor nights")
    if not path.absolute().parent.is_dir():
        raise BadInput(f"{path.absolute().parent}: there is no such folder")
    ledger = _ledger(args)
    _judged(ledger)
    text = frames_csv(ledger, _sought(args)) if what == "frames" else nights_csv(ledger, _rig_id(args))
    write_bytes(path, text.encode())
    count = text.count("\n") - 1
    _say(args, {"file": str(path), "rows": count}, f"{count} {what} written to {path}")
    return OK


def _import(args: argparse.Namespace) -> int:
    if not args.words:
        raise BadInput(needs("ledger", "import", "files or folders of FITS frames"))
    for word in args.words:
        if not Path(word).exists():
            raise BadInput(f"{word}: there is no such file or folder")
    tables = [Path(word) for word in args.words if word.lower().endswith(".csv")]
    if tables:
        return _import_tables(args, tables)
    paths = fits_in(Path(word) for word in args.words)
    if not paths:
        raise BadInput("there are no FITS files (.fits, .fit, .fts) there")
    rig = _rig(args)
    if args.dry_run:
        _say(args, {"files": [str(p) for p in paths]}, "\n".join(map(str, paths)))
        return OK
    ledger = _ledger(args)
    ledger.parent.mkdir(parents=True, exist_ok=True)
    found: list[Imported] = []
    for one in import_frames(
        ledger, paths, rig, datetime.now(UTC), Search(own=own_catalogue_folder()), args.target or ""
    ):
        found.append(one)
        if not args.json:
            said = one.why_not or f"taken in as {one.target}" + ("" if one.solved else ", not solved")
            print(f"{one.path}: {said}" + (f"; {one.doubt}" if one.doubt else ""))
    taken = [one for one in found if one.frame_id]
    if args.json:
        told = [
            {
                "file": str(o.path),
                "frame_id": o.frame_id or None,
                "target": o.target,
                "solved": o.solved,
                "why_not": o.why_not,
                "doubt": o.doubt,
            }
            for o in found
        ]
        print(json.dumps({"taken": len(taken), "files": told}, ensure_ascii=False))
    else:
        print(f"{len(taken)} of {len(found)} taken in")
    return OK if len(taken) == len(found) else NOT_ALL


def _import_tables(args: argparse.Namespace, tables: list[Path]) -> int:
    if len(tables) < len(args.words):
        raise BadInput("import: tables (CSV) and frames are taken in apart; name one or the other")
    ledger, rig, taken = _ledger(args), _rig(args), 0
    ledger.parent.mkdir(parents=True, exist_ok=True)
    left: list[str] = []
    for path in tables:
        try:
            came = import_table(ledger, path.read_text(encoding="utf-8-sig"), rig, datetime.now(UTC))
        except (UnicodeDecodeError, ValueError) as problem:
            said = why(problem) if isinstance(problem, UnicodeDecodeError) else problem
            raise BadInput(f"{path}: {said}") from None
        taken += came.taken
        left += [f"{path}, {line}" for line in came.left_out]
        left += [f"{path}: column {name} is not looked at" for name in came.unknown]
    _say(args, {"taken": taken, "left_out": left}, "\n".join([f"{taken} taken in", *left]))
    return NOT_ALL if left else OK


def _judge(args: argparse.Namespace) -> int:
    frame_id, word = args.words
    if word not in ("kept", "rejected", "undecided"):
        raise BadInput(f"judge: {word!r} is neither kept, rejected nor undecided")
    judge_by_hand(_ledger(args), [frame_id], cast(Word, word), datetime.now(UTC))
    _say(args, {"frame": frame_id, "verdict": word}, f"{frame_id}: {word}")
    return OK


def _gather(args: argparse.Namespace) -> int:
    target, folder = args.words[0], Path(args.words[1]).expanduser()
    ledger = _ledger(args)
    _judged(ledger)
    projects = Projects(projects_folder()).all()
    mine = next((p for p in projects if p.panel_of(target) or p.name.casefold() == target.casefold()), None)
    names = tuple(mine.frame_names) if mine is not None else (target,)
    lights = frames(ledger, Sought(_rig_id(args), names, standing=args.standing or "kept"))
    if not lights:
        raise BadInput(f"the ledger has no {args.standing or 'kept'} lights of {target!r}")
    rigs = sorted({str(light["rig"]) for light in lights})
    rig = _rig(args) if args.rig else _known_rig(rigs[0])
    folders = [f for name in rigs for f in folders_with_frames(_known_rig(name), ledger)]
    called = {name: _known_rig(name).name for name in rigs}
    try:
        gathered = gathering(lights, folders, rig.site.time_zone, called, args.naming or USUAL_NAMING)
    except ValueError as problem:
        raise BadInput(f"--naming: {problem}") from None
    if args.dry_run:
        _tell_gathering(args, gathered, None)
        return NOT_ALL if gathered.missing else OK
    came = hand_over(gathered, folder, "copy" if args.copy else "link")
    _tell_gathering(args, gathered, came)
    return NOT_ALL if came.left or came.reason or gathered.missing else OK


def _known_rig(name: str) -> Rig:
    from vigil.documents.rig.rigs import RigsError

    try:
        return load_document(Rig, my_rigs().path_of(name))
    except RigsError:  # a rig that is gone: its frames are still there
        return load_document(Rig, rig_path(EXAMPLE_RIGS[0])).model_copy(update={"id": name, "name": name})


def _tell_gathering(args: argparse.Namespace, gathered: Gathering, came: HandedOver | None) -> None:
    others = len(gathered.items) - len(gathered.lights)
    told = {
        "lights": len(gathered.lights),
        "calibration": others,
        "missing": [str(p) for p in gathered.missing],
        "uncovered": list(gathered.uncovered),
        "bytes": gathered.bytes,
        **(
            {
                "folder": str(came.folder),
                "done": came.done,
                "there": came.there,
                "left": [str(p) for p in came.left],
                "reason": came.reason,
            }
            if came
            else {}
        ),
    }
    lines = [f"{len(gathered.lights)} lights with {others} calibration frames"]
    if came is not None:
        lines[0] += f" handed over to {came.folder}: {came.done} put there, {came.there} were there"
        if came.reason:
            lines.append(f"{len(came.left)} are not there: {came.reason}")
    lines += [f"its file is gone: {path}" for path in gathered.missing]
    lines += list(gathered.uncovered)
    _say(args, told, "\n".join(lines))


def _report(args: argparse.Namespace) -> int:
    if len(args.words) > 1:
        raise BadInput(needs("ledger", "report", "one evening, as 2027-01-12"))
    ledger = _ledger(args)
    _judged(ledger)
    night = night_of(ledger, args.words[0] if args.words else "last", _rig_id(args))
    report = report_of(ledger, night)
    if args.out is None:
        _say(args, {"night": night, "text": as_text(report)}, as_text(report).rstrip())
        return OK
    path = Path(args.out)
    if not path.absolute().parent.is_dir():
        raise BadInput(f"{path.absolute().parent}: there is no such folder")
    writers: dict[str, Callable[[], bytes]] = {
        ".html": lambda: _page(report),
        ".pdf": lambda: _pdf(report),
        ".txt": lambda: as_text(report).encode(),
    }
    writer = writers.get(path.suffix.lower())
    if writer is None:
        raise BadInput(f"--out {path}: end it with .html, .pdf or .txt")
    write_bytes(path, writer())
    _say(args, {"night": night, "file": str(path)}, f"{path}: the report of {report.evening}")
    return OK


def _page(report: Any) -> bytes:
    from vigil.reports.page import as_page

    return as_page(report).encode()


def _pdf(report: Any) -> bytes:
    from vigil.reports.pdf import as_pdf

    return as_pdf(report)


def _backup(args: argparse.Namespace) -> int:
    path = Path(args.words[0]).expanduser()
    events = back_up(ledger_file(), path)
    _say(args, {"file": str(path), "events": events}, f"{path}: {events} events, whole")
    return OK


def _restore(args: argparse.Namespace) -> int:
    from vigil.keeper.lock import RigLock, RigTaken

    ledger = ledger_file()
    with ExitStack() as held:  # no keeper runs, and none begins meanwhile
        for lock in sorted(ledger.parent.glob("*/keeper.lock")):
            try:
                held.enter_context(RigLock(lock))
            except RigTaken as problem:
                raise BadInput(f"{lock.parent.name}: {problem}; end it first") from None
        events, kept = restore(Path(args.words[0]).expanduser(), ledger)
    stays = f"; what was there is {kept}" if kept else ""
    told = {"events": events, "kept": str(kept) if kept else None}
    _say(args, told, f"restored: {events} events{stays}")
    return OK


def _reconcile(args: argparse.Namespace) -> int:
    ledger = _ledger(args)
    folders = [Path(word).expanduser() for word in args.words]
    for folder in folders:
        if not folder.is_dir():
            raise BadInput(f"{folder}: there is no such folder")
    if not folders:
        rigs = [args.rig] if args.rig else sorted({n.rig for n in nights(ledger)} or {EXAMPLE_RIGS[0]})
        folders = [f for name in rigs for f in folders_with_frames(_known_rig(name), ledger)]
    found = reconcile(ledger, folders, datetime.now(UTC), not args.dry_run, _rig_id(args))
    told = {
        "there": found.there,
        "back": found.back,
        "moved": [{"frame_id": m.frame_id, "from": str(m.old), "to": str(m.new)} for m in found.moved],
        "missing": [str(p) for p in found.missing],
        "unknown": [str(p) for p in found.unknown],
    }
    lines = [f"{found.there} where the ledger says, {len(found.moved)} moved, {len(found.missing)} missing"]
    lines += [f"moved: {m.old} → {m.new}" for m in found.moved]
    lines += [f"missing: {path}" for path in found.missing]
    lines += [f"not in the ledger: {path}" for path in found.unknown]
    _say(args, told, "\n".join(lines))
    return NOT_ALL if found.missing else OK


_ACTIONS: dict[str, Callable[[argparse.Namespace], int]] = {
    "nights": _nights,
    "frames": _frames,
    "trends": _trends,
    "query": _query,
    "export": _export,
    "import": _import,
    "judge": _judge,
    "gather": _gather,
    "report": _report,
    "backup": _backup,
    "restore": _restore,
    "reconcile": _reconcile,
}
