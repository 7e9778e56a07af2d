"""A value to be turned: its name, a slider, what it is now."""

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QSlider, QVBoxLayout, QWidget

from vigil.ui.pieces import label, row

_STEPS = 100
_REST_MS = 150


class _Slider(QSlider):
    """Turned by the wheel only when it has the focus: else the wheel is for scrolling past it."""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is None or self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()


class Dial(QWidget):
    """Tells of a turn once it has come to rest."""

    turned = pyqtSignal(float)

    def __init__(self, name: str, unit: str, least: float, most: float, decimals: int = 1) -> None:
        super().__init__()
        self._least, self._most = least, most
        self._unit, self._decimals = unit, decimals
        self.shown = label("", "number")
        self.slider = _Slider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, _STEPS)
        self.slider.setPageStep(_STEPS // 10)
        self.slider.setAccessibleName(f"{name}, {least:g} to {most:g} {unit}")
        self.slider.setToolTip(f"{least:g} to {most:g} {unit}")
        line = row(label(name), gap=4)
        line.addStretch(1)
        line.addWidget(self.shown)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(2)
        layout.addLayout(line)
        layout.addWidget(self.slider)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(lambda: self.turned.emit(self.value))
        self.slider.valueChanged.connect(self._moved)

    @property
    def value(self) -> float:
        share = self.slider.value() / _STEPS
        return round(self._least + share * (self._most - self._least), self._decimals)

    @property
    def moving(self) -> bool:
        """Whether it is being turned: what is told meanwhile must not pull it back."""
        return self.slider.isSliderDown() or self._rest.isActive()

    def show_value(self, value: float) -> None:
        if self.moving:
            return
        share = (value - self._least) / (self._most - self._least)
        self.slider.blockSignals(True)
        self.slider.setValue(round(_STEPS * min(1.0, max(0.0, share))))
        self.slider.blockSignals(False)
        self._say(value)

    def _moved(self) -> None:
        self._say(self.value)
        self._rest.start()

    def _say(self, value: float) -> None:
        self.shown.setText(f"{value:.{self._decimals}f} {self._unit}".strip())
