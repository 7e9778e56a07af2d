"""An exposure line of the plan's text, edited where it stands."""

from collections.abc import Callable

from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from vigil.documents.plan import Block, ExposureLine
from vigil.ui import words
from vigil.ui.fields import ValueField, number, whole_number
from vigil.ui.pieces import Choice, button, label, row
from vigil.ui.session import Session
from vigil.ui.theme import set_styled

_PICKS_S = (30, 60, 120, 180, 300, 600)
_MOST_FRAMES, _LONGEST_S, _MOST_GAIN = 9999, 3600.0, 100_000
MOON_IS = ("anywhere", "up", "down")
MOON_WORDS = ("any moon", "moon up", "moon down")


class LineRow(QWidget):
    """Filter, how many, how long, how many are done."""

    def __init__(
        self, session: Session, block: Block, line: ExposureLine, said: Callable[[str], None]
    ) -> None:
        super().__init__()
        self._session, self.block_id, self.line_id = session, block.id, line.id
        self._differed = False
        self.filter = Choice()
        self.filter.setAccessibleName("Filter")
        self.filter.setToolTip("Filter")
        self.filter.addItems(session.rig.filter_names or [""])
        self.filter.setFixedWidth(58)
        if not session.rig.filter_names:
            self.filter.hide()
        self.filter.activated.connect(self._filter_chosen)
        self._said = said
        self.on = QCheckBox()
        self.on.setAccessibleName("This line is on")
        self.on.setToolTip("Switch this line off: it stays in the plan, and isn't taken")
        self.on.clicked.connect(lambda on: self._try(lambda: self._edit(off=not on)))
        self.count = ValueField("How many frames", self._set_count, said)
        self.count.setFixedWidth(42)
        self.exposure = ValueField("Exposure in seconds", self._set_exposure, said)
        self.exposure.setFixedWidth(44)
        self.done = label("", "number")
        self.remove = button("Remove", "plain", "Remove this line (undo: Ctrl+Z)")
        self.remove.setAccessibleName("Remove this exposure line")
        self.remove.clicked.connect(self._remove)
        self.more = button("…", "plain", "Moon, as long as it lasts, seconds, gain, offset, binning")
        self.more.setAccessibleName("More about this line")
        self.more.setCheckable(True)
        self.more.setFixedWidth(28)
        self.more.toggled.connect(self._show_more)
        main = row(
            self.on,
            self.filter,
            self.count,
            label(words.TIMES, "soft"),
            self.exposure,
            label("s", "soft"),
            gap=2,
        )
        main.addStretch(1)
        for part in (self.done, self.more):
            main.addWidget(part)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(3)
        layout.addLayout(main)
        layout.addWidget(self._made_details())

    def _made_details(self) -> QWidget:
        """What most lines leave as it is; shown where it differs, or when asked for."""
        self.lasts = QCheckBox("as long as it lasts")
        self.lasts.setToolTip("As many frames as the span holds, in place of a number")
        self.lasts.clicked.connect(lambda on: self._try(lambda: self._edit(as_long_as_it_lasts=on)))
        self.moon = Choice()
        self.moon.setAccessibleName("Only while the moon is")
        self.moon.addItems(MOON_WORDS)
        self.moon.activated.connect(lambda n: self._try(lambda: self._edit(moon=MOON_IS[n])))
        self.gain = ValueField("Gain; empty is the rig's", self._set_gain, self._said)
        self.offset = ValueField("Offset; empty is the rig's", self._set_offset, self._said)
        self.binning = ValueField("Binning", self._set_binning, self._said)
        for field in (self.gain, self.offset, self.binning):
            field.setFixedWidth(44)
        self.picks = [button(f"{seconds}", "mini", f"{seconds} s") for seconds in _PICKS_S]
        for made, seconds in zip(self.picks, _PICKS_S, strict=True):
            made.setFixedWidth(30)
            made.setAccessibleName(f"Exposure of {seconds} s")
            made.clicked.connect(lambda _=False, s=seconds: self._try(lambda: self._edit(exposure_s=s)))
        self.double, self.earlier, self.later = (
            button(words_, "plain", tip)
            for words_, tip in (("Duplicate", "A copy of this line"), ("↑", "Earlier"), ("↓", "Later"))
        )
        plan, ids = self._session.plan, (self.block_id, self.line_id)
        self.double.setAccessibleName("Duplicate this exposure line")
        self.earlier.setAccessibleName("This exposure line earlier")
        self.later.setAccessibleName("This exposure line later")
        self.double.clicked.connect(lambda: self._try(lambda: plan.duplicate_line(*ids)))
        self.earlier.clicked.connect(lambda: self._try(lambda: plan.move_line(*ids, -1)))
        self.later.clicked.connect(lambda: self._try(lambda: plan.move_line(*ids, 1)))
        self.details = QWidget()
        inner = QVBoxLayout(self.details)
        inner.setContentsMargins(22, 0, 0, 4)
        inner.setSpacing(4)
        first = row(self.lasts, self.moon, gap=8)
        first.addStretch(1)
        gains = (label("gain", "small"), self.gain, label("offset", "small"), self.offset)
        second = row(*gains, label("bin", "small"), self.binning, gap=4)
        quick = row(label("seconds", "small"), *self.picks, gap=2)
        quick.addStretch(1)
        second.addStretch(1)
        third = row(self.earlier, self.later, self.double, gap=0)
        third.addStretch(1)
        third.addWidget(self.remove)
        inner.addLayout(first)
        inner.addLayout(quick)
        inner.addLayout(second)
        inner.addLayout(third)
        self.details.hide()
        return self.details

    def _show_more(self, on: bool) -> None:
        self.details.setVisible(on)

    def _set_gain(self, text: str) -> None:
        self._edit(gain=None if not text.strip() else whole_number(text, "gain", 0, _MOST_GAIN))

    def _set_offset(self, text: str) -> None:
        self._edit(offset=None if not text.strip() else whole_number(text, "offset", 0, _MOST_GAIN))

    def _set_binning(self, text: str) -> None:
        self._edit(binning=whole_number(text, "binning", 1, 4))

    def _filter_chosen(self, index: int) -> None:
        self._try(lambda: self._edit(filter=self.filter.itemText(index)))

    def _set_count(self, text: str) -> None:
        self._edit(count=whole_number(text, "frames", 1, _MOST_FRAMES))

    def _set_exposure(self, text: str) -> None:
        self._edit(exposure_s=number(text, "exposure", 0.0, _LONGEST_S))

    def _edit(self, **values: object) -> None:
        self._session.plan.edit_line(self.block_id, self.line_id, **values)

    def _remove(self) -> None:
        self._try(lambda: self._session.plan.remove_line(self.block_id, self.line_id))

    def _try(self, change: Callable[[], None]) -> None:
        try:
            change()
        except ValueError as problem:
            self._said(str(problem))

    def show_line(self, line: ExposureLine, done: int, fitting: int, locked: bool) -> None:
        self.filter.setCurrentText(line.filter)
        self.count.show_value(f"{line.count}")
        self.exposure.show_value(f"{line.exposure_s:g}")
        self.on.setChecked(not line.off)
        self.lasts.setChecked(line.as_long_as_it_lasts)
        self.moon.setCurrentIndex(MOON_IS.index(line.moon))
        self.gain.show_value("" if line.gain is None else f"{line.gain}")
        self.offset.show_value("" if line.offset is None else f"{line.offset}")
        self.binning.show_value(f"{line.binning}")
        self._show_the_rigs(line)
        differs = line.as_long_as_it_lasts or line.moon != "anywhere" or line.binning > 1
        differs = differs or line.gain is not None or line.offset is not None
        if differs and not self._differed:
            self.more.setChecked(True)
        self._differed = differs
        fields = (
            self.filter,
            self.exposure,
            self.remove,
            self.on,
            self.lasts,
            self.moon,
            self.gain,
            self.offset,
            self.binning,
            *self.picks,
        )
        begun = done > 0 and self._session.under_way
        for field in fields:
            settled = begun and field not in (self.on, self.lasts, self.moon)
            field.setEnabled(not locked and not settled)
        for tool in (self.double, self.earlier, self.later):
            tool.setEnabled(not locked)
        self.count.setEnabled(not locked and not line.as_long_as_it_lasts)
        if line.off:
            self.done.setText("off")
            set_styled(self.done, "role", "number")
        elif line.as_long_as_it_lasts:
            self.done.setText(f"{done} done" if done else f"{fitting} fit")
            set_styled(self.done, "role", "number")
        elif fitting < line.count:
            self.done.setText(f"{fitting} fit")
            set_styled(self.done, "role", "warn")
        else:
            self.done.setText(f"{done} done" if done else "")
            set_styled(self.done, "role", "number")

    def _show_the_rigs(self, line: ExposureLine) -> None:
        """What an empty field stands for."""
        rig = self._session.rig
        if rig.camera is None or (line.filter and line.filter not in rig.filter_names):
            return
        gain, offset = line.model_copy(update={"gain": None, "offset": None}).settings_on(rig)
        self.gain.setPlaceholderText(f"{gain}")
        self.offset.setPlaceholderText(f"{offset}")
