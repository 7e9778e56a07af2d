"""The shelf: framed targets kept for any night."""

from typing import Annotated, ClassVar

from pydantic import Field, model_validator

from vigil.documents.ids import stem_of, unused
from vigil.documents.piece import Piece
from vigil.documents.plan import ExposureLine
from vigil.documents.store import Document

USUAL_OVERLAP_PERCENT = 20.0
MOST_PANELS = 100


class Framing(Piece):
    """Where the sensor is to lie. `position_angle_deg` is that of the rows' rising, north through east; a
    mosaic's is the whole one's."""

    ra_deg: Annotated[float, Field(ge=0, lt=360)]
    dec_deg: Annotated[float, Field(ge=-90, le=90)]
    position_angle_deg: Annotated[float, Field(ge=0, lt=360)] = 0.0
    columns: Annotated[int, Field(ge=1, le=10)] = 1
    rows: Annotated[int, Field(ge=1, le=10)] = 1
    overlap_percent: Annotated[float, Field(ge=0, le=90)] = USUAL_OVERLAP_PERCENT
    follow_sphere: bool = False
    """Whether a mosaic's panels stay parallel to their neighbours, which takes a rotator; else the camera
    keeps its angle to north."""

    @property
    def count(self) -> int:
        """How many panels."""
        return self.columns * self.rows


class PanelWish(Piece):
    """What differs for one panel: its name, whether it is left out, lines of its own (None: the target's)."""

    number: Annotated[int, Field(ge=1, le=MOST_PANELS)]
    name: str = ""
    left_out: bool = False
    lines: list[ExposureLine] | None = None


class Framed(Piece):
    """A framed target. `order` are the panels' numbers as they are to be taken; those not named follow. The
    field is the sensor's it was framed for; `set_point_c` is the camera's, None leaves the rig's."""

    id: Annotated[str, Field(min_length=1)]
    name: Annotated[str, Field(min_length=1)]
    framing: Framing
    field_width_deg: Annotated[float, Field(gt=0, lt=120)] | None = None
    field_height_deg: Annotated[float, Field(gt=0, lt=120)] | None = None
    lines: list[ExposureLine] = []  # noqa: RUF012
    panels: list[PanelWish] = []  # noqa: RUF012
    order: list[int] = []  # noqa: RUF012
    set_point_c: Annotated[float, Field(ge=-60, le=30)] | None = None
    tags: list[str] = []  # noqa: RUF012
    note: str = ""

    @model_validator(mode="after")
    def _panels_are_there(self) -> "Framed":
        for what, numbers in (("panels", [p.number for p in self.panels]), ("order", self.order)):
            if len(set(numbers)) != len(numbers):
                raise ValueError(f"{what}: a panel stands twice")
            if numbers and max(numbers) > self.framing.count:
                raise ValueError(f"{what}: there is no panel {max(numbers)} among {self.framing.count}")
        return self

    def panel(self, number: int) -> PanelWish:
        """What is wished of a panel."""
        return next((p for p in self.panels if p.number == number), PanelWish(number=number))

    def panel_name(self, number: int) -> str:
        """What frames of a panel are called: the target's name alone when there is but one."""
        if self.framing.count == 1:
            return self.name
        return f"{self.name} {self.panel(number).name or f'panel {number}'}"

    @property
    def in_order(self) -> list[int]:
        """The panels that are to be taken, in their order."""
        rest = [n for n in range(1, self.framing.count + 1) if n not in self.order]
        return [n for n in [*self.order, *rest] if not self.panel(n).left_out]

    def lines_of(self, number: int) -> list[ExposureLine]:
        """A panel's own lines, else the target's."""
        own = self.panel(number).lines
        return self.lines if own is None else own


class Shelf(Document):
    """Everything on the shelf."""

    KIND: ClassVar[str] = "shelf"
    SCHEMA: ClassVar[int] = 1

    framed: list[Framed] = []  # noqa: RUF012

    @model_validator(mode="after")
    def _ids(self) -> "Shelf":
        ids = [f.id for f in self.framed]
        twice = sorted({i for i in ids if ids.count(i) > 1})
        if twice:
            raise ValueError(f"each framed target needs an id of its own; {', '.join(twice)} stands twice")
        return self

    def named(self, wanted: str) -> Framed | None:
        """By id, else by name in any case; None when there is none."""
        small = wanted.strip().casefold()
        by_id = next((f for f in self.framed if f.id == wanted), None)
        return by_id or next((f for f in self.framed if f.name.casefold() == small), None)

    def with_framed(self, framed: Framed) -> "Shelf":
        """One more, or in place of that with its id."""
        rest = [framed if f.id == framed.id else f for f in self.framed]
        if framed.id not in {f.id for f in self.framed}:
            rest.append(framed)
        return self.model_copy(update={"framed": rest})

    def without(self, framed_id: str) -> "Shelf":
        return self.model_copy(update={"framed": [f for f in self.framed if f.id != framed_id]})

    def unused_id(self, name: str) -> str:
        """An id for a new one, from its name."""
        return unused(stem_of(name), {f.id for f in self.framed})
