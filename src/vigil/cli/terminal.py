"""A night in the terminal: what happens and why as lines, what is under way beneath them."""

import asyncio
import os.path
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from types import TracebackType
from typing import Any, Self, TextIO
from zoneinfo import ZoneInfo

from rich.console import Console
from rich.live import Live as LiveArea
from rich.progress import Progress
from rich.table import Table
from rich.text import Text

from vigil.documents.events import Event, Kind
from vigil.documents.messages import Live
from vigil.documents.night import NightState, fold
from vigil.link.endpoint import News

_MARKS = {
    Kind.NIGHT_STARTED: ("night begins", "bold"),
    Kind.NIGHT_RESUMED: ("night resumed", "bold yellow"),
    Kind.WAITING: ("waiting", "dim"),
    Kind.ACTIVITY_STARTED: ("begins", ""),
    Kind.ACTIVITY_STEP: ("", "dim"),
    Kind.EXPOSURE_STARTED: ("exposing", "cyan"),
    Kind.FRAME_MEASURED: ("measured", "green"),
    Kind.WAIVED: ("going on", "yellow"),
    Kind.BLOCK_GIVEN_UP: ("skipped", "yellow"),
    Kind.PUT_OFF: ("put off", "yellow"),
    Kind.DEVICE_LOST: ("lost", "bold red"),
    Kind.DEVICE_RECOVERED: ("recovered", "yellow"),
    Kind.GUARDED: ("stopped", "bold red"),
    Kind.GUIDED: ("guiding", "cyan"),
    Kind.BY_HAND: ("by hand", "yellow"),
    Kind.RIG_CHANGED: ("rig", "bold"),
    Kind.HELD: ("held", "bold yellow"),
    Kind.RESUMED: ("resumed", "bold"),
    Kind.CLOSING_STARTED: ("closing", "bold"),
    Kind.CLOSING_PART: ("closing", ""),
    Kind.NIGHT_OVER: ("night over", "bold"),
}
_ENDS = {"done": ("done", "green"), "failed": ("failed", "bold red"), "cancelled": ("cancelled", "yellow")}


@contextmanager
def progress_line(words: str, stream: TextIO) -> Iterator[Callable[[float], None]]:
    """A bar for a job that tells shares 0…1; plain tenths where the stream is no terminal."""
    with Progress(console=Console(file=stream), transient=True) as bar:
        task = bar.add_task(words, total=1.0)
        yield lambda share: bar.update(task, completed=share)


class TerminalDisplay:
    """Lines scroll by; the area at the bottom says what is under way, how far, and what is next."""

    def __init__(self, zone: str, console: Console | None = None) -> None:
        self._zone = ZoneInfo(zone)
        self._console = console or Console()
        self._area = LiveArea(console=self._console, refresh_per_second=4, transient=True)
        self._state = NightState()
        self._live: Live | None = None

    def __enter__(self) -> Self:
        self._area.start()
        return self

    def __exit__(
        self, kind: type[BaseException] | None, problem: BaseException | None, trace: TracebackType | None
    ) -> None:
        self._area.stop()

    def show(self, news: News) -> None:
        if isinstance(news, Live):
            self._live = news
        elif isinstance(news, Event):
            self._state = fold(self._state, news)
            self._live = None
            line = self._line(news)
            if line is not None:
                self._console.print(line, soft_wrap=False)
        self._area.update(self._under_way())

    def _line(self, event: Event) -> Text | None:
        if self._goes_without_saying(event):
            return None
        mark, style = _MARKS.get(event.kind, ("", ""))
        if event.kind in (Kind.ACTIVITY_ENDED, Kind.EXPOSURE_ENDED):
            mark, style = _ENDS[event.values["outcome"]]
        said = event.reason
        if event.kind is Kind.WAITING and "until" in event.values:
            said = f"until {self._local(event.values['until'])}: {said}"
        elif event.kind is Kind.ACTIVITY_STARTED:
            said = f"{event.values['words']} — {event.reason}"
        return Text.assemble(
            (f"{event.at.astimezone(self._zone):%H:%M:%S}  ", "dim"), (f"{mark:<13} ", style), (said, style)
        )

    def _local(self, moment: str) -> str:
        return f"{datetime.fromisoformat(moment).astimezone(self._zone):%H:%M:%S}"

    def _goes_without_saying(self, event: Event) -> bool:
        """An exposure that ended as it should, a frame saved where it was announced."""
        if event.kind is Kind.EXPOSURE_ENDED:
            return bool(event.values["outcome"] == "done")
        if event.kind is Kind.FRAME_SAVED:
            announced = self._state.announced.get(event.values["frame_id"], {})
            return bool(event.values["path"] == announced.get("path"))
        return False

    def _under_way(self) -> Table:
        table = Table.grid(padding=(0, 2))
        state, live = self._state, self._live
        if live is not None:
            table.add_row(
                Text("now", "bold"),
                Text(f"{live.words}: {live.current:.4g} of {live.target:.4g} {live.unit}"),
            )
        elif state.exposing is not None:
            table.add_row(Text("now", "bold"), Text(f"exposing {state.exposing.reason}"))
        if state.exposing is None:
            for values in state.activities.values():
                if live is None or values["words"] != live.words:
                    table.add_row(Text("now", "bold"), Text(str(values["words"])))
        if state.waiting is not None and "until" in state.waiting.values:
            until = self._local(state.waiting.values["until"])
            table.add_row(Text("next", "bold"), Text(f"{until}, {state.waiting.reason}"))
        if state.exposing is not None:
            follows = state.exposing.values
            table.add_row(Text("next", "bold"), Text(f"{self._local(follows['ends'])}, {follows['then']}"))
        if state.started is not None:
            table.add_row(
                Text("frames", "bold"),
                Text(f"{len(state.saved)} of {state.started.values['wanted']} on disk"),
            )
        return table

    def summary(self, values: dict[str, Any]) -> None:
        """The night in a few lines."""
        out = self._console
        out.print()
        out.print(f"[bold]{values['night']}[/bold]: {values['done']} of {values['wanted']} frames")
        counts: dict[str, int] = {}
        for frame in values["frames"]:
            counts[frame["filter"]] = counts.get(frame["filter"], 0) + 1
        for name, count in counts.items():
            out.print(f"  {name or 'no filter'}: {count}")
        if values["frames"]:
            out.print(f"  in {_common_folder([f['path'] for f in values['frames']])}", soft_wrap=True)
        for part, outcome in values["closing"].items():
            out.print(f"  {part}: {outcome}", style="bold red" if outcome == "failed" else "")

    async def ask_leave_or_end(self) -> str:
        """Ctrl+C: the night never stops by accident. Without a terminal it is left running."""
        if not self._console.is_terminal:
            return "leave"
        self._area.stop()
        self._console.print(
            "\n[bold]l[/bold] leave it running   [bold]e[/bold] end the night safely   "
            "[bold]c[/bold] go on watching"
        )
        try:
            key = (await asyncio.to_thread(input, "l, e or c? ")).strip().lower()[:1]
        except EOFError:
            key = "l"
        self._area.start()
        return {"l": "leave", "e": "end"}.get(key, "watch")


def _common_folder(paths: list[str]) -> str:
    return os.path.commonpath([str(Path(p).parent) for p in paths])
