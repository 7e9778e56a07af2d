"""Why a file, a folder or a ledger can't be used, in Vigil's own words."""

import errno
import sqlite3

_BY_NUMBER = {
    errno.ENOENT: "there is no such file or folder",
    errno.EACCES: "Vigil may not read or write there",
    errno.EPERM: "Vigil may not read or write there",
    errno.EISDIR: "it is a folder",
    errno.ENOTDIR: "a part of its path is no folder",
    errno.EEXIST: "it is there already",
    errno.ENOSPC: "the disk is full",
    errno.EDQUOT: "the disk is full",
    errno.EROFS: "nothing can be written there",
    errno.ENAMETOOLONG: "its name is too long",
    errno.ENOEXEC: "it is no program",
    errno.EIO: "the disk failed",
    errno.ENODEV: "the disk is gone",
    errno.ESTALE: "the disk is gone",
}
_BY_WORDS = {
    "full": "the disk is full",
    "not a database": "it is damaged, or no ledger",
    "malformed": "it is damaged",
    "locked": "another program keeps it locked",
    "readonly": "nothing can be written there",
    "unable to open": "it can't be opened there",
    "disk i/o": "the disk failed",
    "no such column": "it is damaged, or no ledger",
    "no such table": "it is damaged, or no ledger",
}
_UNKNOWN = "it can't be read or written"


def why(problem: Exception) -> str:
    """A clause without a full stop. Of what isn't known here only that it failed: the log has the rest."""
    if isinstance(problem, UnicodeError):
        return "it is no text in UTF-8"
    if isinstance(problem, OSError):
        return _BY_NUMBER.get(problem.errno or 0, _UNKNOWN)
    if isinstance(problem, sqlite3.Error):
        said = str(problem).casefold()
        return next(
            (words for part, words in _BY_WORDS.items() if part in said), "it can't be read or written"
        )
    return "it is damaged"
