"""The tools beside the pictures: what is to be taken, of what light, and at what level."""

from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QWidget

from vigil.documents.errands import ErrandState
from vigil.documents.flats import BROADBAND, DARKS, FLATS, NARROWBAND, FlatsWish, in_groups
from vigil.documents.refusal import in_words
from vigil.documents.rig import Rig
from vigil.levels.matching import Covered
from vigil.levels.trials import Camera
from vigil.levels.wantedsets import SetWanted, flats_wanted, sets_wanted
from vigil.planning.flatstime import minutes_of
from vigil.ui.fields import number, whole_number
from vigil.ui.pieces import Choice, Told, button, column, label
from vigil.ui.tune.tools import Doing, left, line, value_field, whole

_COLUMNS = 4
_SOURCES = (("flat panel", None), ("panel, set by hand", "person"), ("cloth by day", "cloth"),
            ("twilight sky", "twilight"))  # fmt: skip
_ALL = "all filters"
_WINDOW = ("aim_percent", "low_percent", "high_percent")
_IN_ASKED = {"count", "binning", "dark_flats", "least_exposure_s", "most_exposure_s", *_WINDOW}


class FlatsTools(QWidget):
    """Numbers are entered with Enter; what is taken goes by what the fields show. `tell` hears of what is
    changed while flats are under way, `changed` of anything."""

    def __init__(
        self, doing: Doing, tell: Callable[[dict[str, Any]], None], changed: Callable[[], None]
    ) -> None:
        super().__init__()
        self._doing, self._tell, self._changed = doing, tell, changed
        self._asked = FlatsWish(dark_flats=30, least_exposure_s=0.5)
        self._sets: list[SetWanted] = []
        self._names: list[str] = []
        self._widths_nm: dict[str, float] = {}
        self._libraries: list[str] = []
        self.filters: dict[str, QCheckBox] = {}
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(4)
        self.gaps = button("From the gaps", "", "What is missing or stale becomes the job")
        self.trial = button("Try each", "", "One of each filter, all levels together, nothing is kept")
        self.take = button("Take flats", "primary", "Searched, taken, then the dark flats")
        self.stop = button("Stop", "", "Stop what is under way; frames that are there stay")
        self.darks = button("Take darks", "", "Telescope covered, roof shut, set after set")
        self.trial.clicked.connect(lambda: self._begin(trial=True))
        self.take.clicked.connect(lambda: self._begin())
        self.stop.clicked.connect(doing.stop)
        self.darks.clicked.connect(self._begin_darks)
        self.source, self.when, self.scope = Choice(), Choice(), Choice()
        self.source.setAccessibleName("Light for the flats")
        for words, data in _SOURCES:
            self.source.addItem(words, data)
        self.source.activated.connect(lambda _: self._set_source())
        self.when.setAccessibleName("Which twilight")
        for words, data in (("the next one", None), ("at dusk", "dusk"), ("at dawn", "dawn")):
            self.when.addItem(words, data)
        self.when.activated.connect(lambda _: self._set_source())
        self.scope.setAccessibleName("Filters that the level window is of")
        self.scope.activated.connect(lambda _: self._show_values())
        self.fields = {
            name: value_field(words, self._setter(name, words, most, whole_only), doing.say)
            for name, words, most, whole_only in (
                ("count", "Flats of each filter", 500, True),
                ("dark_flats", "Dark flats of each", 500, True),
                ("aim_percent", "Aim, % of full scale", 100, False),
                ("low_percent", "Window from, %", 100, False),
                ("high_percent", "Window to, %", 100, False),
                ("least_exposure_s", "Shortest exposure, s", 600, False),
                ("most_exposure_s", "Longest exposure, s", 600, False),
            )
        }
        self.fields["binning"] = value_field("Binning, or several: 1, 2", self._set_binning, doing.say)
        self.libraries = value_field("Folders of frames from before", self._set_libraries, doing.say)
        self.libraries.setFixedWidth(230)
        self.libraries.setProperty("role", "")
        self.libraries.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self.libraries.setPlaceholderText("folder; folder")
        self.stays = QCheckBox("nothing moves")
        self.stays.setToolTip(
            "No parking, no cover, no roof: what stands before the telescope is seen to by hand"
        )
        self.stays.toggled.connect(lambda on: self._set_stays(on))
        self.sets_words, self.adu_words = Told("", "soft"), Told("", "soft")
        self._when_line = line("when", self.when)
        whole(self._laid_out(), self)

    def _laid_out(self) -> Any:
        fields, made = self.fields, column(gap=6)
        made.addLayout(left(self.gaps))
        made.addWidget(label("Flats", "section"))
        made.addWidget(whole(self._grid))
        made.addWidget(line("light", self.source))
        made.addWidget(self._when_line)
        made.addWidget(self.stays)
        made.addWidget(line("flats", fields["count"], "of each filter"))
        made.addWidget(line("dark flats", fields["dark_flats"], "of each"))
        made.addWidget(line("binning", fields["binning"]))
        made.addWidget(line("level of", self.scope))
        made.addWidget(line("aim", fields["aim_percent"], "%"))
        made.addWidget(line("window", fields["low_percent"], "to", fields["high_percent"], "%"))
        made.addWidget(self.adu_words)
        made.addWidget(line("exposure", fields["least_exposure_s"], "to", fields["most_exposure_s"], "s"))
        made.addLayout(left(self.take, self.trial, self.stop))
        made.addWidget(label("Darks and bias", "section"))
        made.addWidget(self.sets_words)
        made.addLayout(left(self.darks))
        made.addWidget(label("Frames from before", "section"))
        made.addWidget(self.libraries)
        return made

    # -- what is asked for ----------------------------------------------------------------------------

    @property
    def asked(self) -> FlatsWish:
        """As the fields say it, of the filters that are chosen."""
        chosen = tuple(name for name, box in self.filters.items() if box.isChecked())
        return self._asked.model_copy(update={"filters": chosen})

    @property
    def wish(self) -> dict[str, Any]:
        """As the errand is asked for."""
        told = self._asked.model_dump(mode="json", include=_IN_ASKED)
        other = self._asked.model_dump(mode="json", exclude_defaults=True, exclude=_IN_ASKED)
        chosen = {"filters": list(self.asked.filters)} if self.filters else {}
        return {**told, **other, **chosen}

    def _setter(self, name: str, words: str, most: int, whole_only: bool) -> Any:
        def apply(text: str) -> None:
            bare = text.strip().rstrip("%s ").strip()
            value = whole_number(bare, words, 0, most) if whole_only else number(bare, words, 0, most)
            self._change(self._window_with(name, value) if name in _WINDOW else {name: value})

        return apply

    def _window_with(self, name: str, value: float) -> dict[str, Any]:
        """A changed end takes the aim along, a changed aim its window."""
        shown = self._asked.window_of(self._of_scope()[0])
        window = {key: getattr(shown, key) for key in _WINDOW} | {name: value}
        if not window["low_percent"] <= window["aim_percent"] <= window["high_percent"]:
            if name == "aim_percent":
                window |= {"low_percent": value * 6 / 7, "high_percent": min(value * 8 / 7, 100.0)}
            else:
                window["aim_percent"] = (window["low_percent"] + window["high_percent"]) / 2
        if window["low_percent"] >= window["high_percent"]:
            raise ValueError(
                f"the window must go up: {window['low_percent']:g} to {window['high_percent']:g} %"
            )
        if self.scope.currentData() is None:
            return {**window, "windows": {}}
        own = {one: dict(window) for one in self._of_scope()}
        return {"windows": {**self._asked.model_dump()["windows"], **own}}

    def _of_scope(self) -> list[str]:
        scope = self.scope.currentData()
        return in_groups([scope], self._widths_nm) if scope is not None else [""]

    def _change(self, values: dict[str, Any]) -> None:
        """Raises ValueError with what would be right."""
        try:
            self._asked = FlatsWish.model_validate({**self._asked.model_dump(), **values})
        except ValueError as problem:
            raise ValueError(in_words(problem)) from None  # type: ignore[arg-type]
        self._tell(values)
        self._show_values()
        self._changed()

    def _set_source(self) -> None:
        source = self.source.currentData()
        when = self.when.currentData() if source == "twilight" else None
        self._asked = self._asked.model_copy(update={"source": source, "when": when})
        self._show_values()
        self._changed()

    def _set_binning(self, text: str) -> None:
        found = [whole_number(part.strip(), "Binning", 1, 4) for part in text.split(",")]
        self._change({"binning": found[0], "binnings": found if len(found) > 1 else ()})

    def _set_stays(self, on: bool) -> None:
        self._asked = self._asked.model_copy(update={"move": not on})
        self._changed()

    def _set_libraries(self, text: str) -> None:
        folders = [part.strip() for part in text.split(";") if part.strip()]
        what = f"frames from before: {', '.join(folders)}" if folders else "no frames from before"
        self._doing.edit({("frames", "libraries"): folders}, what)

    def _begin(self, **more: Any) -> None:
        if self.filters and not self.asked.filters:
            self._doing.say("no filter is chosen")
            return
        self._doing.begin(FLATS, **self.wish, **more)

    def _begin_darks(self) -> None:
        sets = [asdict(one) for one in self._sets]
        self._doing.begin(DARKS, sets=sets)

    def take_gaps(self, covered: list[Covered]) -> str:
        """The job becomes what is missing; returns that in words."""
        flats = flats_wanted(covered)
        self._sets = sets_wanted(covered)
        names = {one.filter for one in flats}
        for name, box in self.filters.items():
            box.setChecked(name in names)
        if flats:
            most = {
                "count": max(one.count for one in flats),
                "dark_flats": max(one.dark_flats for one in flats),
                "binning": min(one.binning for one in flats),
                "binnings": binnings
                if len(binnings := tuple(sorted({f.binning for f in flats}))) > 1
                else (),
            }
            self._asked = self._asked.model_copy(update=most)
        self._show_values()
        told = [f"flats through {', '.join(sorted(names)) or 'no filter'}"] if flats else []
        told += [f"{len(self._sets)} sets of darks and bias"] if self._sets else []
        return " and ".join(told) or "nothing is missing"

    # -- showing --------------------------------------------------------------------------------------

    def show_rig(self, rig: Rig) -> None:
        """Its filters, in the order of the slots, and its folders of frames from before."""
        names = rig.wheel.in_slots if rig.wheel else []
        if names != self._names:
            self._show_filters(rig, names)
        self._libraries = rig.frames.libraries
        self.libraries.show_value("; ".join(self._libraries))
        camera = Camera(0.0, rig.camera.full_scale_adu if rig.camera else 65535)
        shown = self._asked.window_of(self._of_scope()[0])
        low, high = (round(camera.share_adu(v)) for v in (shown.low_percent, shown.high_percent))
        self.adu_words.setText(f"{low} to {high} ADU{self._minutes(rig)}")

    def _minutes(self, rig: Rig) -> str:
        if rig.camera is None or self._asked.source == "twilight":
            return ""
        shortest, longest = minutes_of(rig, self.asked, self._asked.least_exposure_s or 0.0)
        return f"; {shortest:.0f} to {longest:.0f} min"

    def _show_filters(self, rig: Rig, names: list[str]) -> None:
        self._names = names
        self._widths_nm = {f.name: f.width_nm for f in rig.wheel.filters if f.slot} if rig.wheel else {}
        for box in self.filters.values():
            box.deleteLater()
        self.filters = {}
        for k, name in enumerate(names):
            box = QCheckBox(name)
            box.setChecked(True)
            box.toggled.connect(lambda _: self._changed())
            self._grid.addWidget(box, k // _COLUMNS, k % _COLUMNS)
            self.filters[name] = box
        self.scope.clear()
        self.scope.addItem(_ALL, None)
        groups = [g for g in (BROADBAND, NARROWBAND) if 0 < len(in_groups([g], self._widths_nm)) < len(names)]
        for name in (*groups, *names):
            self.scope.addItem(name, name)
        if rig.panel is not None and rig.camera is not None:
            least_s = max(rig.panel.shortest_exposure_s, rig.camera.shortest_exposure_s)
            self._asked = self._asked.model_copy(update={"least_exposure_s": least_s})

    def show_state(self, hindered: bool, busy: ErrandState | None) -> None:
        self.take.setEnabled(not hindered)
        self.trial.setEnabled(not hindered and self._asked.source != "twilight")
        self.darks.setEnabled(not hindered and bool(self._sets))
        self.stop.setEnabled(busy is not None)
        sets = [
            f"{one.count} × {one.exposure_s:g} s" if one.exposure_s else f"{one.count} bias"
            for one in self._sets
        ]
        self.sets_words.setText(", ".join(sets) or "From the gaps says which.")
        self._show_values()

    def _show_values(self) -> None:
        shown = self._asked.window_of(self._of_scope()[0])
        for name, field in self.fields.items():
            if name != "binning":
                field.show_value(f"{getattr(shown if name in _WINDOW else self._asked, name):.4g}")
        self.fields["binning"].show_value(", ".join(f"{b}" for b in self._asked.each_binning))
        self.scope.setEnabled(self.scope.count() > 1)
        self._when_line.setVisible(self._asked.source == "twilight")
