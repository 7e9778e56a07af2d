"""Other people's programs, run without a shell, within a time, their output kept in a file."""

import asyncio
import contextlib
import os
import resource
import signal
import subprocess
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from vigil.files.trouble import why

_MOST_OUTPUT = 100_000_000
"""Of any file that a program writes, what it prints among them."""


class ProgramFailed(RuntimeError):
    """It could not be started, took too long, or ended with another status than 0."""


@dataclass(frozen=True, slots=True)
class Ended:
    """What a program said last, and where all of it is."""

    last_line: str
    output: Path


async def run_program(arguments: Sequence[str], time_out_s: float, output: Path) -> Ended:
    """Run it to its end; what it prints goes to `output`. Cancelled, or after `time_out_s` of real time, it
    is killed with all that it started. Raises ProgramFailed."""
    program = _started(arguments, output)
    try:
        status = await asyncio.to_thread(program.wait, time_out_s)
    except subprocess.TimeoutExpired:
        raise ProgramFailed(
            f"{arguments[0]} was still running after {time_out_s:g} s and was ended"
        ) from None
    finally:
        if program.poll() is None:
            with contextlib.suppress(ProcessLookupError):
                os.killpg(program.pid, signal.SIGKILL)
            program.wait()
    last = _last_line(output)
    if status != 0:
        raise ProgramFailed(f"{arguments[0]} ended with status {status}" + (f": {last}" if last else ""))
    return Ended(last, output)


def _started(arguments: Sequence[str], output: Path) -> "subprocess.Popen[bytes]":
    try:
        output.parent.mkdir(parents=True, exist_ok=True)
        with output.open("wb") as file:
            program = subprocess.Popen(
                list(arguments),
                stdin=subprocess.DEVNULL,
                stdout=file,
                stderr=subprocess.STDOUT,
                start_new_session=True,
            )
        with contextlib.suppress(OSError):  # it may be over already
            resource.prlimit(program.pid, resource.RLIMIT_FSIZE, (_MOST_OUTPUT, _MOST_OUTPUT))
        return program
    except OSError as problem:
        raise ProgramFailed(f"{arguments[0]} could not be started: {why(problem)}") from None
    except ValueError:
        raise ProgramFailed(
            f"{arguments[0]} could not be started: no such words can be given to it"
        ) from None


def _last_line(output: Path) -> str:
    with output.open("rb") as file:
        file.seek(max(0, file.seek(0, os.SEEK_END) - 2000))
        said = file.read(2000).decode("utf-8", "replace").strip()
    return said.rsplit("\n", 1)[-1][:200]
