"""A dark for the guide camera: it takes hot pixels out of its frames."""

from datetime import timedelta
from typing import Any

import numpy as np

from vigil.devices.protocols import Exposure
from vigil.documents.guiding import DARK, GuideDarkWish
from vigil.engine.activities.moves import take
from vigil.engine.activity import ActivityFailed, Kit
from vigil.engine.guiding.bench import GuideBench
from vigil.engine.guiding.shelf import dark_path
from vigil.engine.header import bare_header
from vigil.files.fits import write_frame

_COVERED, _NOT, _WAIT, _OFFSET = "it is covered", "leave it", timedelta(minutes=5), 20


class GuideDark(GuideBench[GuideDarkWish]):
    """The median of some frames of a covered guide scope. Cut off, the dark from before stays."""

    KIND = DARK
    WISH = GuideDarkWish
    USES = ("guide camera",)

    @classmethod
    def words_of(cls, wish: GuideDarkWish) -> str:
        return "taking a dark for the guide camera"

    async def work(self, kit: Kit) -> dict[str, Any]:
        wish, guider = self.wish, kit.rig.guider
        assert guider is not None, "asked for before"
        if not wish.covered:
            words = "cover the guide scope: is it covered?"
            async with kit.questions.ask(words, (_COVERED, _NOT), _WAIT, "no dark is taken") as question:
                if await question.wait(kit.clock.utcnow() + _WAIT) != _COVERED:
                    raise ActivityFailed("no dark was taken: the guide scope is not covered")
        exposure_s = wish.exposure_s or guider.exposure_s
        exposure = Exposure(exposure_s, guider.gain, _OFFSET, wish.binning, light=False)
        kit.progress.begin("guide dark", self.words, 0, wish.frames, "frames")
        images = []
        for number in range(1, wish.frames + 1):
            frame = await take(kit, exposure, name="guide camera")
            images.append(frame.image)
            kit.progress.current = number
        middle = np.median(images, axis=0).astype(np.uint16)
        path = dark_path(kit.rig, self._place.folder, exposure_s, wish.binning)
        path.parent.mkdir(parents=True, exist_ok=True)
        write_frame(path, middle, bare_header(kit.rig, frame, True))
        level, spread = float(np.median(middle)), float(np.std(middle))
        hot = int(
            np.count_nonzero(middle > level + 5 * 1.4826 * max(float(np.median(np.abs(middle - level))), 1))
        )
        return {
            "path": str(path),
            "level_adu": round(level, 1),
            "spread_adu": round(spread, 2),
            "hot_px": hot,
            "summary": f"{wish.frames} frames of {exposure_s:g} s: level {level:.0f} ADU, {hot} hot pixels",
        }
