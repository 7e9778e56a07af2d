"""The command line. Each command's module is imported only when it runs, so that help comes at once."""

import importlib
import os
import sys

from vigil.cli.grammar import parser, read
from vigil.files.trouble import why

OK, INTERNAL, BAD_INPUT, NOT_ALL, NO_KEEPER = 0, 1, 2, 3, 4
NO_SCREEN = NO_KEEPER
"""Exit statuses: all well; an error in Vigil; bad input; done but not all of it; no keeper to be had."""


class BadInput(ValueError):
    """What the user gave can't be used; the message says what, where, and what would be right."""


def main(argv: list[str] | None = None) -> int:
    """Run a command and return the exit status."""
    # NumPy's threads wait for each other spinning: with busy cores a small matrix takes seconds, not
    # milliseconds. What is started from here inherits it
    os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
    try:
        args = read(sys.argv[1:] if argv is None else argv)
    except SystemExit as refused:  # or help, which was asked for
        return int(refused.code or OK)
    if args is None:
        parser()[0].print_help()
        return OK
    command = importlib.import_module(f"vigil.cli.{args.module}")
    try:
        return int(command.run(args))
    except BadInput as problem:
        print(f"vigil: {problem}", file=sys.stderr)
        return BAD_INPUT
    except BrokenPipeError:
        return OK
    except OSError as problem:
        if problem.filename is None:  # no file that somebody named: an error in Vigil
            raise
        print(f"vigil: {problem.filename}: {why(problem)}", file=sys.stderr)
        return BAD_INPUT
