"""The deep-sky catalogue searched as one types, spelling forgiven."""

import heapq
from dataclasses import dataclass
from functools import cache

from rapidfuzz import fuzz, process

from vigil.files.deepsky import DeepSkyObject, alike_numbers, name_key, objects_by_key

# letters that must agree for a misspelt name, in per cent, and how long it must be to be guessed at
_ALIKE_PERCENT, _LEAST_LETTERS = 72, 4
_MOST_GUESSES, _AS_GOOD_PERCENT = 12, 12


@dataclass(frozen=True, slots=True)
class _Index:
    """Every name of every object, without blanks and case, and whose it is."""

    keys: list[str]
    entries: list[DeepSkyObject]
    spelt: list[str]
    spelt_entries: list[DeepSkyObject]


@cache
def _index() -> _Index:
    known = objects_by_key()
    # names that are spelt rather than numbered: only these can be misspelt by more than a letter
    spelt = {
        name_key(name): entry for entry in known.values() for name in entry.common_names if not name.isdigit()
    }
    return _Index(list(known), list(known.values()), list(spelt), list(spelt.values()))


def search(typed: str, most: int = 60) -> list[DeepSkyObject]:
    """Objects whose name, alias or common name begins with what was typed, then those that hold it; when
    there is none, those spelt most like it.

    Shorter names come first, so that "M 1" stands before "M 101"; nothing is found for nothing typed.
    """
    key = name_key(typed)
    if not key:
        return []
    index = _index()
    hits = [n for n, name in enumerate(index.keys) if key in name]
    if not hits:
        return guesses(key)
    names = index.keys
    # an object may have several names that hold it
    ranked = heapq.nsmallest(
        3 * most,
        hits,
        key=lambda n: (not names[n].startswith(key), bool(index.entries[n].part_of), len(names[n]), names[n]),
    )
    found = dict.fromkeys(index.entries[n] for n in ranked)
    return list(found)[:most]


def guesses(key: str) -> list[DeepSkyObject]:
    """Objects with a name like a misspelt one (as `name_key` gives it), the likeliest first.

    Numbers are never guessed at: who asks for one that isn't known is not offered its neighbour's.
    """
    if len(key) < _LEAST_LETTERS:
        return []
    index, known = _index(), objects_by_key()
    whole = process.extract(
        key,
        alike_numbers(key),
        scorer=fuzz.ratio,
        processor=None,
        score_cutoff=_ALIKE_PERCENT,
        limit=_MOST_GUESSES,
    )
    if any(c.isdigit() for c in key):
        return list(dict.fromkeys(known[name] for name, _, _ in whole))
    part = process.extract(
        key,
        index.spelt,
        scorer=fuzz.partial_ratio,
        processor=None,
        score_cutoff=_ALIKE_PERCENT + 6,
        limit=_MOST_GUESSES,
    )
    scored = [(score, len(name), known[name]) for name, score, _ in whole]
    # a part that is alike says less than the whole
    scored += [(score - 5, len(name), index.spelt_entries[n]) for name, score, n in part]
    scored.sort(key=lambda s: (bool(s[2].part_of), -s[0], s[1], s[2].name))
    best = max((score for score, _, _ in scored), default=0.0)
    # beside a good guess poor ones only distract
    likely = [entry for score, _, entry in scored if score >= best - _AS_GOOD_PERCENT]
    return list(dict.fromkeys(likely))[:_MOST_GUESSES]
