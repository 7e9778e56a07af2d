"""Running a campaign item by item, so that an interrupted one goes on, and writing its figures."""

import json
import subprocess
from collections.abc import Callable, Iterable
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

FOLDER = Path(__file__).parent.parent / "docs" / "figures"
Items = Iterable[tuple[str, Callable[[], dict[str, Any]]]]


def run_campaign(
    name: str, items: Items, summarise: Callable[[list[dict[str, Any]]], dict[str, Any]]
) -> dict[str, Any]:
    """Run what isn't done yet at this commit, then write docs/figures/NAME.json and return its summary."""
    FOLDER.mkdir(parents=True, exist_ok=True)
    partial = FOLDER / f".{name}.partial.json"
    commit, items = _commit(), list(items)
    done: dict[str, Any] = {}
    if partial.exists():
        kept = json.loads(partial.read_text())
        done = kept["results"] if kept["commit"] == commit else {}
    for key, work in items:
        if key not in done:
            done[key] = work()
            partial.write_text(json.dumps({"commit": commit, "results": done}))
        print(f"{name} {key}: {json.dumps(done[key])}", flush=True)
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


def _commit() -> str:
    def git(*words: str) -> str:
        return subprocess.run(["git", *words], capture_output=True, text=True, cwd=FOLDER).stdout.strip()

    # the figures themselves change while a campaign runs
    changed = git("status", "--porcelain", "--", ":/", ":!/docs/figures")
    return (git("rev-parse", "--short", "HEAD") or "unknown") + ("-dirty" if changed else "")
