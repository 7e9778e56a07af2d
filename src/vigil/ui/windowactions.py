"""What can be done in the window, from wherever one is: names, keys, and why not now."""

from collections.abc import Callable
from typing import TYPE_CHECKING

from vigil.ui import words
from vigil.ui.actions import Action
from vigil.ui.linkstate import LinkState
from vigil.ui.session import Session
from vigil.ui.statusline import SPEEDS
from vigil.ui.theme import theme
from vigil.ui.workspace import Edited
from vigil.ui.workspacerow import WORKSPACES

if TYPE_CHECKING:
    from vigil.ui.window import Window


def window_actions(window: "Window") -> list[Action]:
    session = window.session

    def unless(allowed: Callable[[], bool], why: str) -> Callable[[], str]:
        return lambda: "" if allowed() else why

    def open_link() -> bool:
        return session.link is LinkState.OPEN

    running = unless(lambda: open_link() and session.takes_wishes, "no night is under way")
    actions = [
        Action(f"Go to {name}", lambda n=name: window.go_to(n), f"Ctrl+{i + 1}")  # type: ignore[misc]
        for i, name in enumerate(WORKSPACES)
    ]
    actions += [
        Action("Start the night", session.start_night, "Ctrl+Return", lambda: _no_start(session)),
        Action(
            "Answer what Vigil asks",
            window.asking.come_here,
            "Ctrl+Shift+A",
            unless(lambda: bool(session.questions), "nothing is asked"),
        ),
        Action(
            "Stop what is done by hand",
            window.status.stop_last_errand,
            "",
            unless(lambda: bool(session.errands_under_way), "nothing is under way beside the night"),
        ),
        Action(
            "Hold",
            session.hold,
            "Ctrl+H",
            unless(lambda: session.run == "running", "no night is running"),
        ),
        Action(
            "Hold at once, abandoning the exposure",
            lambda: session.hold(now=True),
            "",
            unless(lambda: session.run == "running", "no night is running"),
        ),
        Action(
            "Resume",
            session.resume,
            "Ctrl+Shift+H",
            unless(
                lambda: (
                    session.run == "held"
                    or bool(session.promise)
                    or (session.status is not None and session.status.stopped_until is not None)
                ),
                "nothing is held",
            ),
        ),
        Action("End night", window.ask_to_end, "Ctrl+E", running),
        Action(
            "Stop everything at once",
            session.stop_everything,
            "Ctrl+.",
            unless(open_link, "no keeper answers"),
        ),
        Action("Search targets", window.search_targets, "Ctrl+F"),
        Action("Red light", window.toggle_red, "Ctrl+R"),
        Action("Red light dimmer", lambda: window.dim_red(-0.1), "Ctrl+Shift+Down", _not_red),
        Action("Red light brighter", lambda: window.dim_red(0.1), "Ctrl+Shift+Up", _not_red),
        Action("To the next part of the window", window.next_part, "F6"),
        Action("Fold the sides away", window.toggle_fold, "F9"),
        Action("Main picture on the whole screen", window.toggle_full, "F11"),
        Action(
            "Main picture in a second window",
            lambda: window.seconds.open(window.current),
            "Shift+F11",
        ),
        Action("Back to now", lambda: session.moments.look_at(None), "Esc"),
        Action(
            "Undo",
            lambda: _edited(window).undo(),
            "Ctrl+Z",
            lambda: "" if _edited(window).undoable else "nothing to undo",
        ),
        Action(
            "Redo",
            lambda: _edited(window).redo(),
            "Ctrl+Shift+Z",
            lambda: "" if _edited(window).redoable else "nothing to redo",
        ),
        Action(
            "Start the keeper again",
            session.start_keeper,
            "",
            unless(lambda: session.link in (LinkState.GONE, LinkState.LEFT), "a keeper is there"),
        ),
        Action("Commands", window.command_bar.open, "Ctrl+K"),
        Action("Close the window", window.close_window, "Ctrl+Q"),
    ]
    if session.simulated:
        scaled = unless(
            lambda: session.status is not None and session.status.clock == "scaled",
            "time isn't simulated here",
        )
        actions += [
            Action(
                f"Simulated time {words.TIMES}{speed:g}",
                lambda s=speed: session.set_speed(s),  # type: ignore[misc]
                "",
                scaled,
            )
            for speed in SPEEDS
        ]
        actions.append(Action("Jump ahead to the next event", session.jump_ahead, "Ctrl+J", running))
        actions.append(Action("Play with the simulated sky", window.toggle_scenery, "F7"))
    return actions


def _edited(window: "Window") -> Edited:
    """What undo takes back here: the rig's edits in Rig, the framing in Targets, elsewhere the plan's."""
    own = window.current.edited()
    return own if own is not None else window.session.plan


def _not_red() -> str:
    return "" if theme.red else "red light is off"


def _no_start(session: Session) -> str:
    if session.link is not LinkState.OPEN:
        return "no keeper answers"
    if session.under_way:
        return "the night is under way"
    return "; ".join(session.plan.contradictions())
