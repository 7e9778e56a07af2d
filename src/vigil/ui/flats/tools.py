"""The tools beside the pictures: what is to be taken, and of what level."""

from dataclasses import asdict
from typing import Any

from PyQt6.QtWidgets import QCheckBox, QGridLayout, QWidget

from vigil.documents.errands import ErrandState
from vigil.documents.flats import DARKS, FLATS
from vigil.documents.rig import Rig
from vigil.levels.matching import Covered
from vigil.levels.trials import Camera
from vigil.levels.wantedsets import SetWanted, flats_wanted, sets_wanted
from vigil.ui.fields import number, whole_number
from vigil.ui.pieces import Told, button, column, label
from vigil.ui.tune.tools import Doing, left, line, value_field, whole

_COLUMNS = 4


class FlatsTools(QWidget):
    """Numbers are entered with Enter; what is taken goes by what the fields show."""

    def __init__(self, doing: Doing) -> None:
        super().__init__()
        self._doing = doing
        self._values: dict[str, float] = {
            "count": 30, "dark_flats": 30, "aim": 35.0, "low": 30.0, "high": 40.0, "least": 0.5, "most": 30.0,
        }  # fmt: skip
        self._sets: list[SetWanted] = []
        self._wanted: list[str] = []
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
        fields = {
            name: value_field(words, self._setter(name, words, most, whole_only), doing.say)
            for name, words, most, whole_only in (
                ("count", "Flats of each filter", 500, True),
                ("dark_flats", "Dark flats of each", 500, True),
                ("aim", "Aim, % of full scale", 100, False),
                ("low", "Window from, %", 100, False),
                ("high", "Window to, %", 100, False),
                ("least", "Shortest exposure, s", 600, False),
                ("most", "Longest exposure, s", 600, False),
            )
        }
        self.fields = fields
        self.sets_words, self.adu_words = Told("", "soft"), Told("", "soft")
        made = column(gap=6)
        made.addLayout(left(self.gaps))
        made.addWidget(label("Flats", "section"))
        made.addWidget(whole(self._grid))
        made.addWidget(line("flats", fields["count"], "of each filter"))
        made.addWidget(line("dark flats", fields["dark_flats"], "of each"))
        made.addWidget(line("aim", fields["aim"], "%"))
        made.addWidget(line("window", fields["low"], "to", fields["high"], "%"))
        made.addWidget(self.adu_words)
        made.addWidget(line("exposure", fields["least"], "to", fields["most"], "s"))
        made.addLayout(left(self.take, self.trial, self.stop))
        made.addWidget(label("Darks and bias", "section"))
        made.addWidget(self.sets_words)
        made.addLayout(left(self.darks))
        whole(made, self)

    # -- what is asked for ----------------------------------------------------------------------------

    def _setter(self, name: str, words: str, most: int, whole_only: bool) -> Any:
        def apply(text: str) -> None:
            bare = text.strip().rstrip("%s ").strip()
            value = whole_number(bare, words, 0, most) if whole_only else number(bare, words, 0, most)
            self._values[name] = value
            self._show_values()

        return apply

    @property
    def wish(self) -> dict[str, Any]:
        """As the errand is asked for."""
        values = self._values
        chosen = [name for name, box in self.filters.items() if box.isChecked()]
        wish = {
            "count": int(values["count"]),
            "dark_flats": int(values["dark_flats"]),
            "aim_percent": values["aim"],
            "low_percent": values["low"],
            "high_percent": values["high"],
            "least_exposure_s": values["least"],
            "most_exposure_s": values["most"],
        }
        return {**wish, "filters": chosen} if self.filters else wish

    def _begin(self, **more: Any) -> None:
        if self.filters and not self.wish["filters"]:
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
            self._values["count"] = max(one.count for one in flats)
            self._values["dark_flats"] = max(one.dark_flats for one in flats)
        self._show_values()
        told = [f"flats through {', '.join(sorted(names)) or 'no filter'}"] if flats else []
        told += [f"{len(self._sets)} sets of darks and bias"] if self._sets else []
        return " and ".join(told) or "nothing is missing"

    # -- showing --------------------------------------------------------------------------------------

    def show_rig(self, rig: Rig) -> None:
        """Its filters, in the order of the slots."""
        names = rig.wheel.in_slots if rig.wheel else []
        if names != self._wanted:
            self._wanted = names
            for box in self.filters.values():
                box.deleteLater()
            self.filters = {}
            for k, name in enumerate(names):
                box = QCheckBox(name)
                box.setChecked(True)
                self._grid.addWidget(box, k // _COLUMNS, k % _COLUMNS)
                self.filters[name] = box
            if rig.panel is not None and rig.camera is not None:
                self._values["least"] = max(rig.panel.shortest_exposure_s, rig.camera.shortest_exposure_s)
        camera = Camera(0.0, rig.camera.full_scale_adu if rig.camera else 65535)
        low, high = (round(camera.share_adu(self._values[name])) for name in ("low", "high"))
        self.adu_words.setText(f"{low} to {high} ADU")

    def show_state(self, hindered: bool, busy: ErrandState | None) -> None:
        for made in (self.take, self.trial):
            made.setEnabled(not hindered)
        self.darks.setEnabled(not hindered and bool(self._sets))
        self.stop.setEnabled(busy is not None)
        sets = [
            f"{one.count} × {one.exposure_s:g} s" if one.exposure_s else f"{one.count} bias"
            for one in self._sets
        ]
        self.sets_words.setText(", ".join(sets) or "From the gaps says which.")
        self._show_values()

    def _show_values(self) -> None:
        for name, field in self.fields.items():
            field.show_value(f"{self._values[name]:g}")
