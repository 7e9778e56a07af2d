"""Steps done once as one line of text, and back."""

import re
import shlex
from datetime import time
from typing import Any, Literal, get_args

from pydantic import TypeAdapter, ValidationError

from vigil.documents.refusal import in_words
from vigil.documents.steps import Ask, NamedMoment, Otherwise, RunProgram, Step, WaitUntil

StepKind = Literal["ask", "wait", "program", "test exposure"]
EXAMPLES: dict[StepKind, str] = {
    "ask": "are the caps off? · 10 min · go on",
    "wait": "nautical dusk +10 min",
    "program": "/usr/bin/true · 60 s · go on",
    "test exposure": "10 s",
}
"""Of each kind one that works, to begin with."""
_STEP: TypeAdapter[Step] = TypeAdapter(Step)
_MOMENT = re.compile(r"^(?P<moment>[a-z ]+?)\s*(?:(?P<sign>[+−-])\s*(?P<minutes>\d+(?:\.\d+)?)\s*(?:min)?)?$")
_SUN = re.compile(r"^sun\s*(?:at\s*)?(?P<degrees>[−-]?\d+(?:\.\d+)?)\s*°?$")
_TRIAL = re.compile(r"^(?:(?P<filter>.*?)\s+)?(?P<seconds>\d+(?:\.\d+)?)\s*s$")


def step_text(step: Step) -> str:
    """ "are the caps off? · 10 min · hold", "nautical dusk +10 min", "L 10 s"."""
    if isinstance(step, Ask):
        return f"{step.question} · {step.wait_min:g} min · {step.otherwise}"
    if isinstance(step, RunProgram):
        return f"{shlex.join(step.arguments)} · {step.time_out_s:g} s · {step.otherwise}"
    if isinstance(step, WaitUntil):
        return _wait_text(step)
    return f"{step.filter} {step.exposure_s:g} s".strip()


def _wait_text(step: WaitUntil) -> str:
    if step.clock is not None:
        return f"{step.clock:%H:%M}"
    if step.sun_altitude_deg is not None:
        return f"sun at {step.sun_altitude_deg:g}°".replace("-", "−")
    if not step.minutes:
        return str(step.moment)
    return f"{step.moment} {'+' if step.minutes > 0 else '−'}{abs(step.minutes):g} min"


def parse_step(kind: StepKind, text: str, step_id: str) -> Step:
    """The step of a line of text. Raises ValueError with what was wrong and what would be right."""
    text = text.strip()
    read = {"ask": _ask, "wait": _wait, "program": _program, "test exposure": _trial}[kind]
    try:
        return _STEP.validate_python({"kind": kind, "id": step_id, **read(text)})
    except ValidationError as problem:
        said = in_words(problem)
        raise ValueError(f"{said}; write for example {EXAMPLES[kind]}") from None


def _ask(text: str) -> dict[str, Any]:
    question, number, otherwise = _three(text, "min")
    return {"question": question} | _known({"wait_min": number, "otherwise": otherwise})


def _program(text: str) -> dict[str, Any]:
    command, number, otherwise = _three(text, "s")
    try:
        arguments = shlex.split(command)
    except ValueError as problem:
        raise ValueError(f"{command!r}: {problem}; quote arguments with spaces in them") from None
    return {"arguments": arguments} | _known({"time_out_s": number, "otherwise": otherwise})


def _three(text: str, unit: str) -> tuple[str, float | None, str | None]:
    """What, how long, and what otherwise; the last two may be left out."""
    first, *rest = (piece.strip() for piece in re.split("[·|]", text))
    number: float | None = None
    otherwise: str | None = None
    for piece in rest:
        if found := re.fullmatch(rf"(\d+(?:\.\d+)?)\s*{unit}", piece):
            number = float(found[1])
        elif piece in get_args(Otherwise):
            otherwise = piece
        elif piece:
            choices = ", ".join(get_args(Otherwise))
            raise ValueError(f"{piece!r} is neither a time in {unit} nor one of {choices}")
    return first, number, otherwise


def _known(values: dict[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in values.items() if value is not None}


def _wait(text: str) -> dict[str, Any]:
    if found := _SUN.match(text):
        return {"sun_altitude_deg": float(found["degrees"].replace("−", "-"))}
    if re.fullmatch(r"\d{1,2}:\d{2}", text):
        hours, minutes = map(int, text.split(":"))
        if hours > 23 or minutes > 59:
            raise ValueError(f"{text} is no time of the clock")
        return {"clock": time(hours, minutes)}
    found = _MOMENT.match(text)
    if found is None or found["moment"] not in get_args(NamedMoment):
        choices = ", ".join(get_args(NamedMoment))
        raise ValueError(
            f"{text!r}: write a time as 22:30, sun at −12°, or one of {choices}, +10 min or −10 min"
        )
    sign = -1 if found["sign"] in ("−", "-") else 1
    return {"moment": found["moment"], "minutes": sign * float(found["minutes"] or 0)}


def _trial(text: str) -> dict[str, Any]:
    found = _TRIAL.match(text)
    if found is None:
        raise ValueError(f"{text!r} is no exposure; write for example L 10 s")
    return {"filter": found["filter"] or "", "exposure_s": float(found["seconds"])}
