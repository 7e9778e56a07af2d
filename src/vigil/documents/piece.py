"""The base of what a plan is made of."""

from pydantic import BaseModel, ConfigDict


class Piece(BaseModel):
    """Base of the plan's pieces."""

    model_config = ConfigDict(extra="forbid", frozen=True, defer_build=True)
