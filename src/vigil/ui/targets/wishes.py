"""What one looks for: the filters and weights of the ranking."""

from dataclasses import replace
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QGridLayout, QWidget

from vigil.files.overlays import constellations
from vigil.planning.offer import Wish
from vigil.ui.fields import ValueField, number
from vigil.ui.pieces import Choice, button, column, label, row, wrapped

KINDS: dict[str, frozenset[str]] = {
    "every kind": frozenset(),
    "galaxies": frozenset({"galaxy", "galaxy group"}),
    "nebulae": frozenset({"emission nebula", "nebula", "cluster with nebula", "supernova remnant"}),
    "reflection nebulae": frozenset({"reflection nebula"}),
    "dark nebulae": frozenset({"dark nebula"}),
    "planetary nebulae": frozenset({"planetary nebula"}),
    "clusters": frozenset({"open cluster", "globular cluster", "cluster with nebula"}),
}
_DUSKS = ("astronomical", "nautical", "civil")


class Wishes(QWidget):
    """`changed` follows every choice; `wish` is what they come to."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.wish = Wish()
        self.told = wrapped("", "warn")
        self.told.hide()
        self.light, self.kind, self.dusk, self.constellation = Choice(), Choice(), Choice(), Choice()
        for choice, name, items in (
            (self.light, "Light", ("broadband", "narrowband")),
            (self.kind, "Kind", tuple(KINDS)),
            (self.dusk, "Dark from and to", tuple(f"{d} dusk" for d in _DUSKS)),
            (self.constellation, "Constellation", ("anywhere", *sorted(c.short for c in constellations()))),
        ):
            choice.setAccessibleName(name)
            choice.addItems(items)
            choice.activated.connect(lambda _: self._take())
        self.fields = {
            key: ValueField(said, lambda text, key=key: self._set(key, text), self._say)
            for key, said in (
                ("least_arcmin", "At least so long, arc-minutes"),
                ("most_arcmin", "At most so long, arc-minutes"),
                ("least_altitude_deg", "Count time above this altitude, degrees"),
                ("least_moon_deg", "At least so far from the moon, degrees"),
            )
        }
        self.weights = {
            key: ValueField(
                f"Weight of {key}, 0 to 3", lambda text, key=key: self._weigh(key, text), self._say
            )
            for key in ("time", "size", "brightness")
        }
        for key, field in self.weights.items():
            field.show_value(f"{getattr(self.wish.weights, key):g}")
        self.unshot = QCheckBox("not yet shot")
        self.unshot.toggled.connect(lambda _: self._take())
        self.reset = button("Reset", "plain", "No filters, all weights 1")
        self.reset.clicked.connect(self._reset)
        grid = QGridLayout()
        grid.setSpacing(4)
        names = ("larger than ′", "smaller than ′", "higher than °", "moon away °")
        for n, (name, field) in enumerate(zip(names, self.fields.values(), strict=True)):
            field.setPlaceholderText("any")
            grid.addWidget(label(name, "small"), n, 0)
            grid.addWidget(field, n, 1)
            field.setFixedWidth(64)
        weigh = row(gap=4)
        for key, field in self.weights.items():
            field.setFixedWidth(40)
            weigh.addWidget(label(key, "small"))
            weigh.addWidget(field)
        layout = column(self.light, self.kind, self.dusk, self.constellation, gap=4)
        layout.addLayout(grid)
        layout.addWidget(label("Weights", "section"))
        layout.addLayout(weigh)
        layout.addLayout(row(self.unshot, self.reset))
        layout.addWidget(self.told)
        self.setLayout(layout)

    @property
    def differs(self) -> int:
        """How many of them are not as at first."""
        usual = Wish()
        return sum(getattr(self.wish, key) != getattr(usual, key) for key in Wish.__slots__)

    def _say(self, text: str) -> None:
        self.told.setText(text)
        self.told.setVisible(bool(text))

    def _set(self, key: str, text: str) -> None:
        value = number(text.rstrip("′° "), self.fields[key].accessibleName(), 0, 10_000) if text else None
        self._put(**{key: value})

    def _weigh(self, key: str, text: str) -> None:
        value = number(text, f"weight of {key}", -1e-9, 3)
        self._put(weights=replace(self.wish.weights, **{key: value}))

    def _take(self) -> None:
        chosen = self.constellation.currentText()
        self._put(
            light=self.light.currentText(),
            kinds=KINDS[self.kind.currentText()],
            dusk=_DUSKS[self.dusk.currentIndex()],
            constellation="" if chosen == "anywhere" else chosen,
            not_yet_shot=self.unshot.isChecked(),
        )

    def _reset(self) -> None:
        for choice in (self.light, self.kind, self.dusk, self.constellation):
            choice.setCurrentIndex(0)
        self.unshot.blockSignals(True)
        self.unshot.setChecked(False)
        self.unshot.blockSignals(False)
        self._put(**{key: getattr(Wish(), key) for key in Wish.__slots__})

    def _put(self, **values: Any) -> None:
        self.wish = replace(self.wish, **values)
        for key, field in self.fields.items():
            value = getattr(self.wish, key)
            field.show_value("" if value is None else f"{value:g}")
        for key, field in self.weights.items():
            field.show_value(f"{getattr(self.wish.weights, key):g}")
        self.changed.emit()
