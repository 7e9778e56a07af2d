"""What people read holds to `docs/words.md`: stilted words are left out, and each thing has one name."""

import ast
import re
from collections.abc import Iterator
from functools import cache
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "src" / "vigil"
NOT_USED = {
    r"set aside": "going on without",
    r"given up|gave up": "skipped",
    r"tak(?:e|en|es) up": "resume",
    r"anew": "again, or left out",
    r"reckon": "calculate",
    r"weighing": "ranking",
    r"loosen": "widen",
    r"throw(?:n)? away|bring(?:s)? (?:\w+ )?back": "delete, restore",
    r"put me": "slew there",
    r"far too coarse|finer than seeing": "undersampled, oversampled",
    r"once more": "again, duplicate",
}
"""What is written in place of it."""


@cache
def visible() -> tuple[tuple[str, int, str], ...]:
    """Every string of the source that somebody may read."""
    return tuple(_strings())


def _strings() -> Iterator[tuple[str, int, str]]:
    """Every string of the source but docstrings and what goes to the log alone."""
    for path in sorted(SOURCE.rglob("*.py")):
        tree = ast.parse(path.read_text(encoding="utf-8"))
        silent: set[int] = set()
        for node in ast.walk(tree):
            if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant):
                silent.add(id(node.value))
            if isinstance(node, ast.Call) and ast.unparse(node.func).startswith("log."):
                silent |= {id(each) for each in ast.walk(node)}
        for node in ast.walk(tree):
            if isinstance(node, ast.Constant) and isinstance(node.value, str) and id(node) not in silent:
                yield str(path.relative_to(SOURCE)), node.lineno, node.value


@pytest.mark.parametrize("pattern", NOT_USED)
def test_words_that_are_not_used(pattern: str) -> None:
    wrong = [
        f"{path}:{line}: {text!r}"
        for path, line, text in visible()
        if re.search(rf"\b(?:{pattern})\b", text, re.IGNORECASE)
    ]
    assert not wrong, f"write {NOT_USED[pattern]!r}:\n" + "\n".join(wrong)


def test_the_page_of_words_has_each_term_with_a_sentence() -> None:
    page = (SOURCE.parents[1] / "docs" / "words.md").read_text(encoding="utf-8")
    terms = re.findall(r"^- \*\*(.+?)\*\*: (.+)", page, re.MULTILINE)
    assert len(terms) >= 40 and len({term for term, _ in terms}) == len(terms)
    assert all(sentence.strip() for _, sentence in terms)
