"""Cycles are freed in the window's thread, whoever allocates."""

import gc
import threading
import weakref

from PyQt6.QtWidgets import QApplication
from pytestqt.qtbot import QtBot

from vigil.ui.collecting import Collector


class Cycle:
    """Tells in which thread it was freed."""

    freed_in: threading.Thread | None = None

    def __init__(self) -> None:
        self.me = self

    def __del__(self) -> None:
        Cycle.freed_in = threading.current_thread()


def test_a_worker_that_allocates_frees_nothing_of_the_window_s(qapp: QApplication, qtbot: QtBot) -> None:
    gone = weakref.ref(Cycle())
    worker = threading.Thread(target=lambda: [[n] for n in range(200_000)])
    worker.start()
    worker.join()
    assert gone() is not None, "nobody has collected it"
    # as many new objects as make a collection due, then the timer's turn
    kept = [[n] for n in range(3 * gc.get_threshold()[0])]
    Collector.collect()
    assert kept and gone() is None and Cycle.freed_in is threading.main_thread()
