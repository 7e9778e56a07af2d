"""After a crash: frames that reached the disk but not the ledger."""

from pathlib import Path
from typing import Any

from vigil.documents.eventvalues import FrameSaved
from vigil.documents.night import NightState
from vigil.files.fits import BadFrame, read_frame


def unrecorded_frames(state: NightState, rescue_folder: Path) -> list[tuple[dict[str, Any], str]]:
    """The frame_saved values, with a sentence, of every announced frame that is whole on disk but unrecorded.

    A frame is whole when it bears its final name: it is renamed only after it was flushed.
    """
    found = []
    for frame_id, announced in state.announced.items():
        if frame_id in state.saved:
            continue
        planned = Path(announced["path"])
        for path in (planned, rescue_folder / planned.name):
            if not path.exists():
                continue
            try:
                header = read_frame(path).header
            except BadFrame:
                continue
            if header.get("FRAMEID") != frame_id:
                continue
            values = {
                # when it should end, and what follows, belong to its announcement alone
                **{name: value for name, value in announced.items() if name in FrameSaved.model_fields},
                "path": str(path),
                "started_at": header.get("DATE-OBS", ""),
                "temperature_c": header.get("CCD-TEMP"),
                "focus_position": header.get("FOCUSPOS"),
            }
            wanted_s = float(announced["exposure_s"])
            lasted_s = float(header.get("EXPTIME", wanted_s))
            if lasted_s < wanted_s - 0.05:
                values["doubtful"] = f"{lasted_s:.0f} of {wanted_s:g} s: it was cut short"
            found.append((values, f"found whole after the crash: {path.name}"))
            break
    return found
