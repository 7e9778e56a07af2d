"""The tools beside a study: study what was heard, take the advice over."""

import math
from collections.abc import Callable
from zoneinfo import ZoneInfo

from PyQt6.QtWidgets import QWidget

from vigil.documents.rig import Rig
from vigil.documents.rig.guidevalues import study_values
from vigil.guiding.study import Study
from vigil.ledger.samples import KeptStream
from vigil.ui.pieces import Choice, Facts, Told, button, column, label
from vigil.ui.tune.tools import Doing, left, whole

_HOW = (
    "Best from a record without corrections: Only watch, for ten minutes or so, with short exposures. "
    "The star drifts meanwhile; guiding takes it up where it is then."
)


class StudyTools(QWidget):
    """`study` looks at the frames that were heard; what it advises becomes the rig's with one click."""

    def __init__(self, doing: Doing, study: Callable[[], None], opens: Callable[[str], None]) -> None:
        super().__init__()
        self._doing = doing
        self._found: Study | None = None
        self.study = button("Study", "primary", "Of the frames heard, with or without corrections")
        self.take_over = button(
            "Take the advice over", "", "Exposure, methods, strengths, dead bands, and the worm's period"
        )
        self.records = Choice()
        self.records.setAccessibleName("A guide record of before")
        self.records.setToolTip("What was guided or watched before, out of the ledger")
        self._records: list[KeptStream] = []
        self.records.activated.connect(lambda k: opens(self._records[k - 1].errand) if k else None)
        self.study.clicked.connect(study)
        self.take_over.clicked.connect(self._take_over)
        self.facts, self.said = Facts(), Told("", "soft")
        made = column(gap=6)
        made.addLayout(left(self.study))
        made.addWidget(self.records)
        made.addWidget(Told(_HOW, "small"))
        made.addWidget(label("Advice", "section"))
        made.addWidget(self.facts)
        made.addWidget(self.said)
        made.addLayout(left(self.take_over))
        whole(made, self)

    def show_records(self, records: list[KeptStream], zone: str) -> None:
        """Those that can be opened, the newest first."""
        self._records = records
        self.records.clear()
        self.records.addItem("the frames heard now" if records else "no record in the ledger yet")
        for kept in records:
            at = kept.began.astimezone(ZoneInfo(zone))
            self.records.addItem(f"{at:%d.%m. %H:%M} · {kept.kind} · {kept.samples} frames")
        self.records.setEnabled(bool(records))

    def _take_over(self) -> None:
        if self._found is not None:
            self._doing.edit(study_values(self._found), "the study's advice")

    def show_all(self, rig: Rig, found: Study | None, frames: int, busy: bool) -> None:
        """`frames` is how many there are to study."""
        self._found = found
        self.study.setEnabled(frames >= 2 * 20 and not busy)
        self.take_over.setEnabled(found is not None and rig.guider is not None)
        if found is None:
            self.facts.show_facts([("frames", f"{frames}")])
            self.said.setText("")
            return
        predicted = math.hypot(found.ra.best.predicted_rms_arcsec, found.dec.best.predicted_rms_arcsec)
        present = math.hypot(found.ra.present_rms_arcsec, found.dec.present_rms_arcsec)
        self.facts.show_facts(
            [
                ("exposure", f"{found.exposure_s:g} s"),
                *(
                    (words, f"{axis.best.settings.law} {axis.best.settings.strength:g}")
                    for words, axis in (("right ascension", found.ra), ("declination", found.dec))
                ),
                ("rms to be expected", f"{predicted:.2f}″"),
                ("in the record", f"{present:.2f}″"),
            ]
        )
        more = f"Not enough yet: {'; '.join(found.missing)}. About {found.more_min:.0f} min more."
        self.said.setText("" if found.enough else more)
