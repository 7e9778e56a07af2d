"""A person's word on a frame, put into the ledger."""

from collections.abc import Sequence
from datetime import datetime
from pathlib import Path
from typing import Literal

from vigil.documents.events import Kind
from vigil.documents.eventvalues import new_event
from vigil.ledger.reading import Sought, frames
from vigil.ledger.store import LedgerStore

Word = Literal["kept", "rejected", "undecided"]


class NotJudged(ValueError):
    """A word that can't be taken here; the message says why, and what would be right."""


def under_way(ledger: Path, frame_ids: Sequence[str]) -> set[str]:
    """Those of the frames whose night goes on: its keeper has to be told, it counts by them."""
    store = LedgerStore(ledger)
    try:
        open_ones = {errand for (errand,) in store.open_errands()}
    finally:
        store.close()
    known = frames(ledger, Sought(kind="", ids=tuple(frame_ids)))
    return {str(f["frame_id"]) for f in known if f["errand"] in open_ones}


def judge_by_hand(ledger: Path, frame_ids: Sequence[str], word: Word, now: datetime) -> None:
    """Keep or reject frames of nights that are over, or take that back. Raises NotJudged and LedgerError."""
    known = {str(f["frame_id"]): f for f in frames(ledger, Sought(kind="", ids=tuple(frame_ids)))}
    if unknown := [name for name in frame_ids if name not in known]:
        raise NotJudged(f"no frame is called {unknown[0]!r}; vigil ledger frames lists them")
    if busy := under_way(ledger, frame_ids):
        raise NotJudged(
            f"the night of {sorted(busy)[0]} goes on: vigil night reject or keep tells its keeper"
        )
    words = {"kept": "kept by you", "rejected": "rejected by you", "undecided": "as Vigil judges"}[word]
    store = LedgerStore(ledger)
    try:
        for name in frame_ids:
            values = {"frame_id": name, "verdict": word}
            store.add(new_event(str(known[name]["errand"]), now, Kind.FRAME_JUDGED, values, words))
    finally:
        store.close()
