"""What people may wish of a night that runs: an edited plan, a block first or not tonight, when to focus."""

from typing import Any

from pydantic import ValidationError

from vigil.documents.messages import Ask, Command
from vigil.documents.night import NightState, NotAllowed
from vigil.documents.plan import Block, NightPlan, contradictions
from vigil.documents.refusal import in_words
from vigil.documents.rig import Rig
from vigil.engine.night import Night
from vigil.planning.choice import Candidate
from vigil.planning.revision import changes, refused


async def grant(ask: Ask, night: Night, state: NightState, rig: Rig) -> str:
    """Pass a wish on; returns from when it is in force. Raises NotAllowed with the reason."""
    if ask.command is Command.JUDGE:
        return await _judge(ask, night, state)
    when = "at once" if ask.values.get("now") else night.from_when()
    if ask.command is Command.PLAN:
        words = _new_plan(ask.values.get("plan"), night, state, rig)
        return f"{words}: {when}"
    if ask.command in (Command.SKIP, Command.NEXT):
        return await _block_wish(ask, night, state, when)
    if rig.focuser is None:
        raise NotAllowed(f"{rig.name} has no focuser")
    if ask.command is Command.REFOCUS:
        await night.ask("refocus", f"refocus asked for, {when}")
        return f"refocus {when}"
    pause = ask.command is Command.PAUSE_FOCUS
    if pause == state.refocusing_paused:
        raise NotAllowed("refocusing is paused already" if pause else "refocusing is not paused")
    words = "refocusing paused" if pause else "refocusing resumed"
    await night.ask(ask.command.value, words)
    return words


def _new_plan(told: Any, night: Night, state: NightState, rig: Rig) -> str:
    try:
        plan = NightPlan.model_validate(told)
    except ValidationError as problem:
        raise NotAllowed(f"the plan can't be used: {in_words(problem)}") from None
    begun = {frame["line"] for frame in state.announced.values()}
    wrong = refused(night.plan, plan, begun) + contradictions(plan, rig)
    if wrong:
        raise NotAllowed("; ".join(wrong))
    said = changes(night.plan, plan)
    if not said:
        raise NotAllowed("the plan is as it was: nothing changed")
    words = "; ".join(said)
    night.change_plan(plan, words)
    return words


async def _block_wish(ask: Ask, night: Night, state: NightState, when: str) -> str:
    block = _block(str(ask.values.get("block") or ""), night, state)
    name, now = block.target.name, bool(ask.values.get("now"))
    if ask.command is Command.SKIP:
        if block.id in state.given_up:
            raise NotAllowed(f"{name} is skipped for tonight already")
        await night.ask("skip", f"{name} skipped for tonight, {when}", block.id, now)
        return f"{name} is skipped for tonight, {when}"
    if not any(line.wants_more(state.done(line.id)) for line in block.active_lines):
        raise NotAllowed(f"nothing is left to be taken of {name}")
    await night.ask("next", f"{name} next, {when}", block.id, now)
    return f"{name} is next, {when}"


async def _judge(ask: Ask, night: Night, state: NightState) -> str:
    frame_id, verdict = str(ask.values.get("frame") or ""), str(ask.values.get("verdict") or "rejected")
    if frame_id not in state.saved:
        raise NotAllowed(f"no frame of this night is called {frame_id!r}")
    if verdict not in ("rejected", "kept"):
        raise NotAllowed(f"a verdict is rejected or kept, not {verdict!r}")
    frame = state.saved[frame_id]
    if frame.get("verdict") == verdict:
        raise NotAllowed(f"{frame_id} is {verdict} already")
    words = f"{frame['target']} {frame['filter']} {frame['number']} {verdict}".replace("  ", " ")
    await night.judge(frame_id, verdict, words)
    return words + (": it is taken again" if verdict == "rejected" else "")


def _block(wanted: str, night: Night, state: NightState) -> Block:
    """By id or target's name; without either the one under way."""
    blocks = night.plan.blocks
    if not wanted:
        now = night.candidate_now()
        if not isinstance(now, Candidate):
            raise NotAllowed("no block is under way; say which one")
        return now.block
    small = wanted.casefold()
    found = [b for b in blocks if small in (b.id.casefold(), b.target.name.casefold())]
    if not found:
        raise NotAllowed(f"no block is called {wanted!r}; there are {', '.join(b.id for b in blocks)}")
    return found[0]
