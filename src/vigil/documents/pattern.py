"""Patterns: a plan, a block or a set of lines kept to be used again, on other targets and other rigs."""

from pathlib import Path
from typing import Annotated, ClassVar, Literal

from pydantic import Field, model_validator

from vigil.documents.namedfiles import NamedFiles
from vigil.documents.plan import PLAN_MIGRATIONS, Block, StandingOrders
from vigil.documents.steps import ClosingStep, OpeningItem
from vigil.documents.store import Document, Migrations


class Pattern(Document):
    """Of a block or of lines it is one block; its target is only where they came from."""

    KIND: ClassVar[str] = "pattern"
    SCHEMA: ClassVar[int] = 3
    MIGRATIONS: ClassVar[Migrations] = PLAN_MIGRATIONS

    name: Annotated[str, Field(min_length=1)]
    of: Literal["plan", "block", "lines"]
    blocks: Annotated[list[Block], Field(min_length=1)]
    opening: list[OpeningItem] = []  # noqa: RUF012
    closing: list[ClosingStep] = []  # noqa: RUF012
    orders: StandingOrders | None = None

    @model_validator(mode="after")
    def _one_block(self) -> "Pattern":
        if self.of != "plan" and len(self.blocks) != 1:
            raise ValueError(f"a pattern of {self.of} has one block, not {len(self.blocks)}")
        return self


class Patterns(NamedFiles[Pattern]):
    """A folder with a file a pattern."""

    def __init__(self, folder: Path) -> None:
        super().__init__(folder, Pattern, "pattern")
