"""A note on an adjuster: which screw to loosen, where the key is."""

from typing import Any

from vigil.documents.polar import NOTE_KIND, NoteWish
from vigil.engine.activity import Kit
from vigil.engine.polar.bench import PolarBench


class NoteOnAdjuster(PolarBench[NoteWish]):
    """Kept whole or not at all."""

    KIND = NOTE_KIND
    WISH = NoteWish

    @classmethod
    def words_of(cls, wish: NoteWish) -> str:
        return f"a note on the {wish.axis} adjuster"

    @classmethod
    def uses(cls, wish: NoteWish) -> tuple[str, ...]:
        return ()

    async def work(self, kit: Kit) -> dict[str, Any]:
        kept, name = self.kept(kit), self.wish.axis
        noted = kept.adjuster(name).model_copy(update={"note": self.wish.note.strip()})
        self.keep(kit, kept.model_copy(update={"adjusters": {**kept.adjusters, name: noted}}))
        return {"summary": f"noted on {name}"}

    async def before_its_end(self, reason: str) -> None:
        """Nothing was moved."""
