"""Frames while somebody turns the adjusters, until it is stopped."""

from dataclasses import replace
from typing import Any

from vigil.documents.night import NotAllowed
from vigil.documents.polar import TURNING, TURNING_KIND, TurningWish
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.guiding.frames import eye_of
from vigil.engine.polar.bench import PolarBench
from vigil.engine.polar.turning import TurningLoop
from vigil.engine.polar.words import learnt_said
from vigil.polar.adjusters import RIGHT_ARCMIN, AdjusterName, Turn, effect_of


class TurnAdjusters(PolarBench[TurningWish]):
    """Begins from the last measurement, also again after it was stopped: what has been turned meanwhile
    follows from how the camera stands. Cut off, the mount tracks on and nothing is lost."""

    KIND = TURNING_KIND
    WISH = TurningWish
    _loop: TurningLoop | None = None
    _amounts: dict[AdjusterName, float]

    @classmethod
    def words_of(cls, wish: TurningWish) -> str:
        return "watching the adjusters"

    async def work(self, kit: Kit) -> dict[str, Any]:
        kept, self._amounts = self.kept(kit), {}
        if kept.last is None or kept.stood is None:
            raise ActivityFailed("nothing is measured yet: measure the axis first")
        if kept.stood.camera != self.wish.camera:
            raise ActivityFailed(
                f"the axis was measured with the {kept.stood.camera} camera: take that one, or measure again"
            )

        async def turned(name: AdjusterName, turn: Turn) -> None:
            turn = replace(turn, turns=self._amounts.pop(name, None))
            now = self.kept(kit)
            before = now.adjuster(name)
            words = learnt_said(name, turn, RIGHT_ARCMIN, before.gain)
            self.keep(
                kit, now.model_copy(update={"adjusters": {**now.adjusters, name: before.with_turn(turn)}})
            )
            await self.step({"turned": name, "effect": effect_of(turn, RIGHT_ARCMIN).value}, words)

        self._loop = TurningLoop(
            kit,
            self.wish,
            kept.last,
            kept.stood,
            self.step,
            lambda values: self.sample(TURNING, values),
            turned,
        )
        try:
            await self._loop.run()
        finally:
            eye_of(kit).close()
        left = self._loop.left
        if left is None:
            raise ActivityFailed("no frame was solved")
        return {
            "altitude_arcmin": round(left.altitude_arcmin, 3),
            "azimuth_arcmin": round(left.azimuth_arcmin, 3),
            "total_arcmin": round(left.total_arcmin, 3),
            "summary": f"{left.total_arcmin:.1f}′ are left, by the star; a new measurement proves it",
        }

    def tell(self, values: dict[str, Any]) -> str:
        """Another star (`x`, `y`, unbinned px), or by how much an adjuster was just turned (`axis`, `turns`,
        + clockwise)."""
        if self._loop is None:
            raise NotAllowed("it has not begun yet")
        if values.get("what") == "star":
            try:
                x, y = float(values["x"]), float(values["y"])
            except (KeyError, TypeError, ValueError):
                raise NotAllowed("a star: its x and y in pixels of the frame") from None
            self._loop.choose(x, y)
            return "the star nearest to there"
        if values.get("what") == "turned" and values.get("axis") in ("altitude", "azimuth"):
            try:
                turns = float(values["turns"])
            except (KeyError, TypeError, ValueError):
                raise NotAllowed("turned: by how many turns, + clockwise") from None
            if not 0 < abs(turns) <= 20:
                raise NotAllowed(f"{turns:g} turns can't be: up to 20, + clockwise")
            self._amounts[values["axis"]] = turns
            return f"{values['axis']}: the next movement is taken for {turns:+g} turns"
        raise NotAllowed(f"{self.words}: it knows star, and turned with an axis, not {values}")
