"""Makes the demo's three weeks of history anew: `./dev python -m tools.demohistory`.

Each night is played by the engine in virtual time on the simulated rig, without pixels, from a plan that the
projects ask for by what the nights before have given. The ledger goes into the package, packed.
"""

import lzma
import sqlite3
import sys
import tempfile
from contextlib import closing
from datetime import date, datetime, time, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

from campaigns.demo import demo_rig
from campaigns.night import play
from vigil.cli.files import demo_file, scenario_wanted
from vigil.documents.events import Event
from vigil.documents.plan import NightPlan
from vigil.documents.project import Project
from vigil.documents.store import load
from vigil.ledger.projecthours import tonight
from vigil.ledger.standings import judge_new
from vigil.ledger.store import LedgerStore
from vigil.planning.bestuse import BestUse, into_plan

_STAR, _GALAXY = "Flaming Star in three lines", "NGC 2403 in colour"
EVENINGS = (
    ("2026-12-22", "clear", 3.0, _STAR),
    ("2026-12-24", "damp", 2.5, _STAR),
    ("2026-12-27", "clear", 4.0, _STAR),
    ("2026-12-28", "windy", 3.0, _STAR),
    ("2027-01-01", "passing-clouds", 5.0, _GALAXY),
    ("2027-01-03", "clear", 3.5, _GALAXY),
    ("2027-01-05", "troubles", 3.0, _GALAXY),
    ("2027-01-06", "clear", 4.5, _STAR),
    ("2027-01-09", "passing-clouds", 5.0, _STAR),
    ("2027-01-11", "damp", 3.5, _GALAXY),
)
"""The nights of three weeks on which anybody was out: under which sky, for how many hours, on which
project."""
OUT = demo_file("history.sqlite.xz")
_FRAMES = "/nowhere/heron-480/frames"
"""Where its frames are said to be: they have no files, and nothing of this machine is in their paths."""


def main() -> int:
    rig = demo_rig()
    projects = [load(Project, path) for path in sorted(demo_file("projects").glob("*.json"))]
    with tempfile.TemporaryDirectory() as folder:
        ledger = Path(folder) / "ledger.sqlite"
        LedgerStore(ledger).close()
        for number, (evening, scenario, hours, whose) in enumerate(EVENINGS):
            zone = ZoneInfo(rig.site.time_zone)
            at = datetime.combine(date.fromisoformat(evening), time(17, 30), zone)
            simulated = rig.simulated.model_copy(update={"starts_at": at, "seed": 100 + number})
            tonights = rig.model_copy(update={"simulated": simulated})
            wanted = [p for p in projects if p.name == whose]
            found, progress = tonight(ledger, wanted, {rig.id: rig}, tonights, at)
            empty = NightPlan(name=f"Night of {evening}", blocks=[])
            plan, _ = into_plan(_first_hours(found, hours), empty, tonights, progress)
            orders = plan.orders.model_copy(update={"dither_every_frames": 3})
            plan = plan.model_copy(update={"orders": orders})
            out = Path(folder) / f"night-{number}"  # nothing is kept from night to night
            played = play(
                tonights,
                plan,
                out,
                seed=100 + number,
                scenario=scenario_wanted(scenario),
                quick=True,
                guides=True,
            )
            store = LedgerStore(ledger)
            for event in sorted([*played.events, *played.others], key=lambda e: e.id):
                told = event.model_dump_json().replace(str(out), _FRAMES)
                store.add(Event.model_validate_json(told))
            store.close()
            print(f"{evening} {scenario}: {len(played.frames)} frames", file=sys.stderr)
        judge_new(ledger, lambda _: projects[0].limits)
        with closing(sqlite3.connect(ledger, isolation_level=None)) as base:
            base.execute("PRAGMA journal_mode = DELETE")
            base.execute("VACUUM")
        OUT.write_bytes(lzma.compress(ledger.read_bytes(), preset=9 | lzma.PRESET_EXTREME))
    print(f"{OUT.name}: {OUT.stat().st_size / 1e3:.0f} kB", file=sys.stderr)
    return 0


def _first_hours(found: BestUse, hours: float) -> BestUse:
    """What people do before they go to bed."""
    if not found.stints:
        return found
    end = found.stints[0].begins + timedelta(hours=hours)
    from dataclasses import replace

    kept = []
    for stint in found.stints:
        if stint.begins < end:
            share = min(1.0, (end - stint.begins) / (stint.ends - stint.begins))
            frames = max(1, round(stint.frames * share))
            kept.append(replace(stint, ends=min(stint.ends, end), frames=frames))
    return replace(found, stints=tuple(kept))


if __name__ == "__main__":
    sys.exit(main())
