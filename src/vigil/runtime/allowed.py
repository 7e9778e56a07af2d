"""Programs that somebody at this computer has allowed plans to run: a stranger's plan runs nothing
unasked."""

import json
from collections.abc import Iterable, Sequence

from vigil.files.atomic import write_bytes
from vigil.runtime.folders import allowed_programs_file


def not_allowed(programs: Iterable[Sequence[str]]) -> list[list[str]]:
    """Those of several programs, with their arguments, that nobody has allowed yet."""
    known = _known()
    return [list(p) for p in dict.fromkeys(map(tuple, programs)) if p not in known]


def allow(programs: Iterable[Sequence[str]]) -> None:
    """From now on they may be run. Raises OSError."""
    known = _known() | set(map(tuple, programs))
    path = allowed_programs_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    write_bytes(path, (json.dumps(sorted(map(list, known)), indent=1, ensure_ascii=False) + "\n").encode())


def _known() -> set[tuple[str, ...]]:
    try:
        kept = json.loads(allowed_programs_file().read_text(encoding="utf-8"))
        return {tuple(map(str, program)) for program in kept}
    except (OSError, ValueError, TypeError):
        return set()
