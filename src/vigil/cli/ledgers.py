"""The one ledger, with what a rig's own had before there was one."""

import logging
from pathlib import Path

from vigil.keeper.lock import RigLock, RigTaken
from vigil.ledger.store import LedgerError
from vigil.ledger.takeover import take_over
from vigil.runtime.folders import ledger_file, lock_file, old_ledger_file

log = logging.getLogger(__name__)


def ledger_of(rig_id: str) -> Path:
    """The ledger, with everything in it that a rig has; may not exist yet.

    What a rig's own ledger had becomes part of it, if nobody writes to that: the rig's keeper does so too.
    """
    ledger, old = ledger_file(), old_ledger_file(rig_id)
    if old.exists():
        try:
            with RigLock(lock_file(rig_id)):
                take_over(ledger, old)
        except RigTaken:
            pass
        except LedgerError as problem:  # to look at the rest is still worth something
            log.error("%s", problem)
    return ledger
