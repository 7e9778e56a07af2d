"""The process above a keeper: one that dies is started again, and takes the night up where it was."""

import signal
import subprocess
import sys
import time
from collections.abc import Sequence

from vigil.cli import INTERNAL

_MOST_IN_ROW, _FORGOTTEN_AFTER_S, _PAUSE_S = 5, 600.0, 1.0


def guard(words: Sequence[str]) -> int:
    """Run `vigil keep` with these words until it leaves in good order, or dies again and again. Returns its
    exit status."""
    deaths: list[float] = []
    asked = False
    keeper: subprocess.Popen[bytes] | None = None

    def pass_on(number: int, frame: object) -> None:
        nonlocal asked
        asked = True
        if keeper is not None:
            keeper.send_signal(signal.SIGTERM)

    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, pass_on)
    signal.signal(signal.SIGHUP, signal.SIG_IGN)
    while True:
        keeper = subprocess.Popen([sys.executable, "-m", "vigil", "keep", *words], stdin=subprocess.DEVNULL)
        status = keeper.wait()
        if asked or (status >= 0 and status != INTERNAL):
            return max(0, status)
        now = time.monotonic()
        deaths = [at for at in deaths if now - at < _FORGOTTEN_AFTER_S] + [now]
        if len(deaths) > _MOST_IN_ROW:
            print(f"vigil: the keeper died {len(deaths)} times in a row; it is left so", file=sys.stderr)
            return INTERNAL
        print("vigil: the keeper has died and is started again", file=sys.stderr, flush=True)
        time.sleep(_PAUSE_S)
