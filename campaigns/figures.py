"""Running a campaign item by item, so that an interrupted one goes on, and writing its figures."""

import json
import multiprocessing
import os
import subprocess
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import ProcessPoolExecutor, as_completed
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

FOLDER = Path(__file__).parent.parent / "docs" / "figures"
Item = tuple[str, Callable[[], dict[str, Any]]]
Items = Iterable[Item]


def run_campaign(
    name: str,
    items: Items,
    summarise: Callable[[list[dict[str, Any]]], dict[str, Any]],
    alone: bool = False,
) -> dict[str, Any]:
    """Run what isn't done yet at this commit, then write docs/figures/NAME.json and return its summary.
    `alone`: one item after the other, as those that measure time or start processes want it; the others run
    on all processors."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    partial = FOLDER / f".{name}.partial.json"
    commit, items = _commit(), list(items)
    done: dict[str, Any] = {}
    if partial.exists():
        kept = json.loads(partial.read_text())
        done = kept["results"] if kept["commit"] == commit else {}
    left = [item for item in items if item[0] not in done]
    for key, result in _results(left, 1 if alone else os.cpu_count() or 1):
        done[key] = result
        partial.write_text(json.dumps({"commit": commit, "results": done}))
        print(f"{name} {key}: {json.dumps(result)}", flush=True)
    # in the order of the items, whatever an interrupted run had done first
    done = {key: done[key] for key, _ in items}
    summary = summarise(list(done.values()))
    written = {
        "campaign": name,
        "commit": commit,
        "made_at": datetime.now(UTC).isoformat(timespec="seconds"),
        "summary": summary,
        "results": done,
    }
    (FOLDER / f"{name}.json").write_text(json.dumps(written, indent=1) + "\n")
    partial.unlink(missing_ok=True)
    return summary


_left: list[Item] = []
"""Of the campaign that runs: the processes are forked with it, as work can't be sent to them."""


def _work(number: int) -> tuple[str, dict[str, Any]]:
    key, work = _left[number]
    return key, work()


def _results(left: list[Item], processes: int) -> Iterator[tuple[str, dict[str, Any]]]:
    _left[:] = left
    if processes < 2 or len(left) < 2:
        yield from map(_work, range(len(left)))
        return
    failed: BaseException | None = None
    with ProcessPoolExecutor(processes, multiprocessing.get_context("fork")) as pool:
        for ended in as_completed([pool.submit(_work, number) for number in range(len(left))]):
            # what the others found is kept before it is told
            failed = failed or ended.exception()
            if ended.exception() is None:
                yield ended.result()
    if failed is not None:
        raise failed


def _commit() -> str:
    def git(*words: str) -> str:
        return subprocess.run(["git", *words], capture_output=True, text=True, cwd=FOLDER).stdout.strip()

    # the figures themselves change while a campaign runs
    changed = git("status", "--porcelain", "--", ":/", ":!/docs/figures")
    return (git("rev-parse", "--short", "HEAD") or "unknown") + ("-dirty" if changed else "")
