"""Steps as a line of text, and back."""

import pytest

from vigil.documents.steps import Step
from vigil.planning.steptext import EXAMPLES, StepKind, parse_step, step_text


@pytest.mark.parametrize(
    ("kind", "text", "words"),
    [
        ("ask", "are the caps off? · 10 min · hold", "ask: are the caps off?"),
        ("ask", "go?", "ask: go?"),
        ("wait", "22:30", "wait until 22:30"),
        ("wait", "sun at −12°", "wait until the sun is at −12°"),
        ("wait", "sun -12.5", "wait until the sun is at −12.5°"),
        ("wait", "moonset", "wait until moonset"),
        ("wait", "nautical dusk −10 min", "wait until 10 min before nautical dusk"),
        ("program", "/bin/say 'all well' | 5 s | end the night", "run /bin/say all well"),
        ("test exposure", "Ha 2.5 s", "test exposure Ha 2.5 s"),
        ("test exposure", "30s", "test exposure 30 s"),
    ],
)
def test_steps_as_people_write_them(kind: StepKind, text: str, words: str) -> None:
    step: Step = parse_step(kind, text, "s")
    assert step.words == words
    assert parse_step(kind, step_text(step), "s") == step


@pytest.mark.parametrize("kind", list(EXAMPLES))
def test_the_examples_work(kind: StepKind) -> None:
    assert step_text(parse_step(kind, EXAMPLES[kind], "s")) == EXAMPLES[kind]


@pytest.mark.parametrize(
    ("kind", "text", "says"),
    [
        ("ask", "", "write for example"),
        ("ask", "go? · soon", "'soon' is neither a time in min"),
        ("wait", "later", "'later': write a time as 22:30"),
        ("wait", "25:00", "no time of the clock"),
        ("wait", "sun at 80°", "write for example"),
        ("program", "say 'all", "quote arguments"),
        ("program", " · 5 s", "write for example"),
        ("test exposure", "Ha", "is no exposure"),
        ("test exposure", "Ha 9000 s", "write for example"),
    ],
)
def test_what_is_no_step_says_what_would_be(kind: StepKind, text: str, says: str) -> None:
    with pytest.raises(ValueError, match=says):
        parse_step(kind, text, "s")
