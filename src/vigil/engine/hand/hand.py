"""One hand on the devices: what is refused, and what becomes an errand."""

from collections.abc import Callable, Sequence
from typing import Any

from vigil.devices.errors import DeviceError
from vigil.documents.hand import ALL, UnknownAction, find_action
from vigil.engine.errand import Errand, ErrandRecorder, ErrandRefused, Workplace
from vigil.engine.hand import deeds
from vigil.engine.hand.limits import OutOfLimits, check_limits
from vigil.engine.hand.work import Finished, HandWork, StopDevice


class Hand:
    """Makes errands of what people ask of devices. `under_way` are the errands that there are now."""

    def __init__(
        self, place: Workplace, under_way: Callable[[], Sequence[Errand]], finished: Finished
    ) -> None:
        self._place, self._under_way, self._finished = place, under_way, finished

    def ask(
        self,
        recorder: ErrandRecorder,
        asked: str,
        device: str,
        action: str,
        values: dict[str, Any],
        night: str | None,
    ) -> HandWork:
        """Check it; the errand is yet to be begun. Raises ErrandRefused with the reason.

        `night` says why the devices are not free ("a night runs"), or is None.
        """
        try:
            found = find_action(device, action)
            for value in found.values:
                if value.default is not None:
                    values.setdefault(value.name, value.default)
            missing = [value.name for value in found.values if value.name not in values]
            if missing:
                raise ErrandRefused(f"{device} {found.usage}: {', '.join(missing)} is not given")
            values = {v.name: v.read(_text(values[v.name])) for v in found.values}
            if device == ALL:
                return self._ask_all(recorder, asked, action, night)
            supervised = self._place.kit().devices.named(device)
        except (UnknownAction, KeyError, ValueError) as problem:
            raise ErrandRefused(str(problem.args[0])) from None
        said = " ".join([device, action, *(_text(v) for v in values.values())])
        if action == "stop":
            return self._stop(recorder, asked, device, said)
        if night is not None:
            raise ErrandRefused(f"{device}: {night}; hold it first, only stop works meanwhile")
        if action != "connect":
            try:
                supervised.need(action)
                check_limits(self._place.kit().rig, device, action, values)
            except (DeviceError, OutOfLimits) as problem:
                text = str(problem)
                raise ErrandRefused(text if text.startswith(device) else f"{device}: {text}") from None
        claims = deeds.CLAIMS.get((device, action), frozenset({device}))
        begun = next((errand.words for errand in self._under_way() if errand.claims & claims), None)
        holder = begun or self._place.arbiter.taken(claims)
        if holder is not None:
            raise ErrandRefused(f"{device}: busy with {holder}; stop that first")
        return HandWork(self._place, recorder, said, claims, asked, device, action, values, self._finished)

    def _ask_all(self, recorder: ErrandRecorder, asked: str, action: str, night: str | None) -> HandWork:
        if night is not None:
            raise ErrandRefused(f"{night}; hold it first")
        devices = self._place.kit().devices.all()
        does = "disconnect" if action == "disconnect" else "connect"
        wanted = [d.name for d in devices if d.connected != (does == "connect")]
        if not wanted:
            raise ErrandRefused(f"every device is {does}ed already" if devices else "the rig has no devices")
        free = [name for name in wanted if self._place.arbiter.taken(frozenset({name})) is None]
        words = f"{does} {', '.join(free)}"
        return HandWork(
            self._place, recorder, words, frozenset(free), asked, ALL, action, {}, self._finished, free
        )

    def _stop(self, recorder: ErrandRecorder, asked: str, device: str, words: str) -> HandWork:
        """Stopping needs no claim: it is what frees a device."""
        if not self._place.kit().devices.named(device).connected:
            raise ErrandRefused(f"{device}: stop: not connected")
        for errand in self._under_way():
            if isinstance(errand, HandWork) and device in errand.claims:
                errand.stop("stopped")
        return StopDevice(
            self._place, recorder, words, frozenset(), asked, device, "stop", {}, self._finished
        )


def _text(value: Any) -> str:
    """As people would type it."""
    if isinstance(value, bool):
        return "on" if value else "off"
    return f"{value:.10g}" if isinstance(value, float) else str(value)
