"""Where frames go and what they are called."""

from typing import Annotated

from pydantic import Field, field_validator

from vigil.documents.rig.part import Part, Shown
from vigil.files.names import USUAL_PATTERN, check_pattern


class FramesPart(Part):
    """Folder and naming pattern; an empty folder is Vigil's own."""

    folder: Annotated[str | None, Shown("folder", help="empty: Vigil's own")] = None
    pattern: Annotated[str, Shown("naming", safe=True)] = USUAL_PATTERN
    libraries: Annotated[
        list[str],
        Field(max_length=50),
        Shown("frames from before", safe=True, help="folders that calibration frames are looked for in, too"),
    ] = []  # noqa: RUF012 (pydantic copies defaults)

    @field_validator("pattern")
    @classmethod
    def _known_fields(cls, pattern: str) -> str:
        check_pattern(pattern)
        return pattern
