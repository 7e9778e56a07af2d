"""Telescope and reducer."""

from typing import Annotated

from pydantic import Field

from vigil.documents.rig.part import Name, Part, Positive, Shown


class TelescopePart(Part):
    """The optical tube, or a camera lens."""

    name: Name
    focal_length_mm: Annotated[Annotated[float, Field(ge=1, le=100_000)], Shown("focal length", "mm")]
    aperture_mm: Annotated[Annotated[float, Field(ge=1, le=20_000)], Shown("aperture", "mm")]
    obstruction_mm: Annotated[float, Field(ge=0), Shown("obstruction", "mm", help="diameter")] = 0.0
    mirror_moves: Annotated[bool, Shown("mirror moves", help="focuses by its main mirror")] = False

    @property
    def focal_ratio(self) -> float:
        return self.focal_length_mm / self.aperture_mm


class ReducerPart(Part):
    """A reducer, flattener or extender. `factor` multiplies the focal length; a flattener's is 1."""

    name: Name
    factor: Annotated[float, Field(ge=0.3, le=5.0), Shown("factor", "×")] = 1.0
    back_focus_mm: Annotated[Positive, Shown("back-focus", "mm")] = 55.0
