"""Two rigs on one target write one ledger at once, each in a process of its own and as fast as virtual time
goes, while backups are taken: nothing lost, nothing mixed, nobody waits long, every backup whole."""

import json
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

from campaigns.demo import quick_rig, short_plan
from campaigns.figures import run_campaign
from campaigns.night import play
from vigil.documents.errands import NIGHT
from vigil.documents.events import Event
from vigil.documents.night import fold_all
from vigil.ledger.backup import back_up, checked, restore
from vigil.ledger.store import LedgerStore

PAIRS = 6
_RIGS = ("heron-480", "stork-1600")


def night(ledger: Path, rig_id: str, seed: int, frames: int) -> dict[str, Any]:
    """One keeper's night; how long its writes took, and how many events were told."""
    longest, told = 0.0, 0
    add = LedgerStore.add

    def timed(self: LedgerStore, event: Event) -> Event:
        nonlocal longest, told
        begun = time.perf_counter()
        made = add(self, event)
        longest = max(longest, time.perf_counter() - begun)
        told += 1
        return made

    LedgerStore.add = timed  # type: ignore[method-assign]
    rig = quick_rig(id=rig_id, name=rig_id)
    with tempfile.TemporaryDirectory() as folder:
        played = play(rig, short_plan(frames), Path(folder), seed, quick=True, ledger=ledger)
    return {
        "rig": rig_id,
        "events": told,
        "longest_write_s": round(longest, 4),
        "night": played.events[0].errand,
        "of_night": len(played.events),
        "frames": len(played.frames),
    }


def one_pair(number: int, frames: int = 40) -> dict[str, Any]:
    """Two nights at once, and copies meanwhile."""
    wrong: list[str] = []
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder)
        ledger = root / "ledger.sqlite"
        LedgerStore(ledger).close()
        at_work = [
            subprocess.Popen(
                [
                    sys.executable,
                    "-m",
                    "campaigns.twokeepers",
                    str(ledger),
                    rig,
                    str(7 + number),
                    str(frames),
                ],
                stdout=subprocess.PIPE,
                text=True,
                cwd=Path(__file__).parent.parent,
            )
            for rig in _RIGS
        ]
        copies, slowest = [], 0.0
        while any(p.poll() is None for p in at_work):
            copy = root / f"copy-{len(copies)}.sqlite"
            begun = time.perf_counter()
            copies.append((copy, back_up(ledger, copy)))
            slowest = max(slowest, time.perf_counter() - begun)
            try:
                at_work[0].wait(1.0)
            except subprocess.TimeoutExpired:
                continue
            if at_work[1].poll() is None:
                continue
        told = [json.loads(p.communicate()[0]) for p in at_work]
        wrong += [f"{r}: its keeper failed" for r, p in zip(_RIGS, at_work, strict=True) if p.returncode]
        store = LedgerStore(ledger)
        whole = {one["night"]: store.events(one["night"]) for one in told}
        rows = {f["frame_id"]: f for one in told for f in store.frames(one["night"])}
        all_ids = store.last_id()
        store.close()
        for one in told:
            events = whole[one["night"]]
            if len(events) != one["of_night"] or fold_all(events).run.value != "over":
                wrong.append(f"{one['rig']}: {len(events)} of {one['of_night']} events")
            mine = [f for f in rows.values() if f["errand"] == one["night"]]
            if len(mine) != one["frames"] or {f["rig"] for f in mine} != {one["rig"]}:
                wrong.append(f"{one['rig']}: its frames are {len(mine)} of {one['frames']}, or another's")
        if all_ids != sum(one["events"] for one in told):
            wrong.append(f"{all_ids} events, {sum(one['events'] for one in told)} were written")
        for copy, count in copies:
            if checked(copy) != count:
                wrong.append(f"{copy.name} is not what it was said to be")
        if copies:
            restored = root / "restored" / "ledger.sqlite"
            restore(copies[len(copies) // 2][0], restored)
            wrong += _restored(restored, whole)
        return {
            "pair": number,
            "events": all_ids,
            "frames": len(rows),
            "backups": len(copies),
            "longest_write_s": max(one["longest_write_s"] for one in told),
            "longest_backup_s": round(slowest, 3),
            "wrong": wrong,
        }


def _restored(ledger: Path, whole: dict[str, list[Event]]) -> list[str]:
    """A copy from the middle is each night's beginning, and can be gone on with."""
    store = LedgerStore(ledger)
    try:
        wrong = []
        for name, events in whole.items():
            there = store.events(name)
            if there != events[: len(there)]:
                wrong.append(f"{name}: the backup is no beginning of it")
            if there and not any(row.kind == NIGHT for row in store.errands(name.split("-", 3)[-1][:-2])):
                wrong.append(f"{name}: the backup doesn't list it")
        return wrong
    finally:
        store.close()


def summarise(results: list[dict[str, Any]]) -> dict[str, Any]:
    return {
        "pairs": len(results),
        "events": sum(r["events"] for r in results),
        "frames": sum(r["frames"] for r in results),
        "backups": sum(r["backups"] for r in results),
        "longest_write_s": max(r["longest_write_s"] for r in results),
        "longest_backup_s": max(r["longest_backup_s"] for r in results),
        "wrong": [words for r in results for words in r["wrong"]],
    }


def items(count: int = PAIRS) -> Iterator[tuple[str, Callable[[], dict[str, Any]]]]:
    for number in range(count):
        yield f"pair {number}", lambda number=number: one_pair(number)


def campaign() -> dict[str, Any]:
    return run_campaign("twokeepers", items(), summarise, alone=True)


if __name__ == "__main__":
    path, rig, seed, frames = sys.argv[1:]
    print(json.dumps(night(Path(path), rig, int(seed), int(frames))))
