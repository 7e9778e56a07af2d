"""Every colour, size and font of the window, for the dark and for red light."""

from dataclasses import dataclass, fields
from enum import StrEnum
from functools import cache
from importlib.resources import files
from string import Template
from weakref import WeakSet

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPainter, QPalette, QPen
from PyQt6.QtWidgets import QApplication, QWidget
from PyQt6.sip import isdeleted

from vigil.documents.filternames import same_filter

TEXT_FAMILY, NUMBER_FAMILY = "Inter", "JetBrains Mono"
_FONT_FILES = (
    "Inter-Regular.otf",
    "Inter-SemiBold.otf",
    "JetBrainsMono-Regular.ttf",
    "JetBrainsMono-SemiBold.ttf",
)
_PROBLEM_WHEN_NO_FONT = "a font that ships with Vigil can't be loaded: {}; is the installation whole?"


class Size:
    """Pixels at 100 %: the 4-px grid, the window's strips, and the four text sizes."""

    GAP = 8
    MARGIN = 16
    RIBBON = 84
    WORKSPACES = 36
    STATUS = 30
    INSPECTOR = 320
    LIST = 260
    CURVE = 124
    BUTTON = 24
    TOUCH = 40
    LEAST_WINDOW = (1180, 720)
    DESIGN_WINDOW = (1280, 800)
    SMALL, BODY, HEAD, LARGE = 12, 13, 14, 20
    FIGURE = 56
    """One number that is read from the telescope."""
    TEXTS = (SMALL, BODY, HEAD, LARGE)


@dataclass(frozen=True, slots=True)
class Tokens:
    """A palette by role. `night` and `day` are the ends of the sky's tone."""

    ink: str
    raised: str
    well: str
    line: str
    text: str
    soft: str
    faint: str
    accent: str
    accent_fill: str
    on_accent: str
    select: str
    warn: str
    fault: str
    focus: str
    night: str
    day: str
    moment: str
    on_moment: str
    dec: str


DARK = Tokens(
    ink="#0e141b",
    raised="#18212b",
    well="#05070b",
    line="#26313d",
    text="#e3e9f0",
    soft="#a3b0be",
    faint="#7d8b9a",
    accent="#41c0a0",
    accent_fill="#1b4a44",
    on_accent="#06140f",
    select="#8db8ec",
    warn="#e2a03f",
    fault="#e0674f",
    focus="#8db8ec",
    night="#0a0e18",
    day="#4a5d78",
    moment="#e3e9f0",
    on_moment="#0e141b",
    dec="#b79af0",
)
RED = Tokens(
    ink="#070000",
    raised="#1c0302",
    well="#000000",
    line="#3d0a07",
    text="#ff5a48",
    soft="#d23f30",
    faint="#b03427",
    accent="#ff5a48",
    accent_fill="#57120c",
    on_accent="#0c0000",
    select="#e04636",
    warn="#ff6d55",
    fault="#ff7a66",
    focus="#ff5a48",
    night="#080000",
    day="#4e100b",
    moment="#ff5a48",
    on_moment="#0c0000",
    dec="#c2402f",
)
TEXT_ROLES = ("text", "soft", "faint", "accent", "select", "warn", "fault")
GROUND_ROLES = ("ink", "raised", "well")


class Light(StrEnum):
    """Which palette is in force."""

    DARK = "dark"
    RED = "red"


def contrast(one: str, other: str) -> float:
    """Contrast ratio of two colours, 1…21 (WCAG 2.2, relative luminance)."""
    bright, dim = sorted((_luminance(one), _luminance(other)), reverse=True)
    return (bright + 0.05) / (dim + 0.05)


def _luminance(colour: str) -> float:
    channels = (int(colour[i : i + 2], 16) / 255 for i in (1, 3, 5))
    red, green, blue = (c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4 for c in channels)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


class Theme(QObject):
    """The palette in force; `changed` asks everything to paint itself anew."""

    changed = pyqtSignal()
    LEAST_BRIGHTNESS = 0.35

    def __init__(self) -> None:
        super().__init__()
        self.light = Light.DARK
        self.brightness = 1.0
        """Of red light only: 1 is the full setting."""
        self._windows: WeakSet[QWidget] = WeakSet()

    @property
    def red(self) -> bool:
        return self.light is Light.RED

    @property
    def tokens(self) -> Tokens:
        return RED if self.red else DARK

    def set_light(self, light: Light, brightness: float | None = None) -> None:
        """Change the palette of the whole application: dressing it anew is worth it only for another one."""
        before = self.light, self.brightness
        self.light = light
        if brightness is not None:
            self.brightness = min(1.0, max(self.LEAST_BRIGHTNESS, brightness))
        if (self.light, self.brightness) == before:
            return
        self.dress()
        self.changed.emit()

    def dress(self) -> None:
        """Give the application its palette, and its windows their style sheet."""
        app = QApplication.instance()
        if isinstance(app, QApplication):
            app.setPalette(_palette(self))
        sheet = _style_sheet(self)
        for window in list(self._windows):
            if not isdeleted(window):
                window.setStyleSheet(sheet)

    def dress_window(self, window: QWidget) -> None:
        """Give a window the style sheet, when what is in it is built. Were it the application's, everything
        would be styled again with each parent it gets on its way into the window: twice the time to build."""
        self._windows.add(window)
        window.setStyleSheet(_style_sheet(self))

    def colour(self, role: str, alpha: float = 1.0) -> QColor:
        """A token's colour, dimmed in red light."""
        colour = QColor(getattr(self.tokens, role))
        if self.red and self.brightness < 1.0:
            colour = QColor.fromRgbF(
                colour.redF() * self.brightness,
                colour.greenF() * self.brightness,
                colour.blueF() * self.brightness,
            )
        colour.setAlphaF(alpha)
        return colour

    def laid_over(self, below: str, role: str, alpha: float) -> QColor:
        """The colour that is seen where one token lies over another so opaquely."""
        under, over = self.colour(below), self.colour(role)
        mixed = (
            alpha * getattr(over, channel)() + (1 - alpha) * getattr(under, channel)()
            for channel in ("redF", "greenF", "blueF")
        )
        return QColor.fromRgbF(*mixed)

    def read_on(self, ground: QColor) -> str:
        """Which text stands out more on that colour."""
        return max(("text", "on_accent"), key=lambda role: contrast(self.colour(role).name(), ground.name()))

    def pen(self, role: str, width: float = 1.0, alpha: float = 1.0, dashed: bool = False) -> QPen:
        pen = QPen(self.colour(role, alpha), width)
        if dashed:
            pen.setStyle(Qt.PenStyle.CustomDashLine)
            pen.setDashPattern([4.0, 4.0])
        return pen

    def greys(self) -> list[int]:
        """The 256 tones of a picture as ARGB values: greys by night sight, reds in red light."""
        if not self.red:
            return [0xFF000000 | (v << 16) | (v << 8) | v for v in range(256)]
        top = self.colour("text")
        shares = ((v / 255) for v in range(256))
        return [
            QColor.fromRgbF(top.redF() * s, top.greenF() * s * s, top.blueF() * s * s).rgba() for s in shares
        ]

    def swatch(self, colour: str) -> QColor:
        """A filter's own colour; in red light names alone tell filters apart."""
        return self.colour("soft") if self.red else QColor(colour)


theme = Theme()


def text_font(size: int = Size.BODY, strong: bool = False) -> QFont:
    """The family for words."""
    return _font(TEXT_FAMILY, size, strong)


def number_font(size: int = Size.SMALL, strong: bool = False) -> QFont:
    """The family for numbers, all digits of one width."""
    return _font(NUMBER_FAMILY, size, strong)


@cache
def _font(family: str, size: int, strong: bool) -> QFont:
    font = QFont(family)
    font.setPixelSize(size)
    font.setWeight(QFont.Weight.DemiBold if strong else QFont.Weight.Normal)
    return font


def load_fonts() -> None:
    """Make the shipped fonts known to Qt. Raises RuntimeError when one can't be loaded."""
    folder = files("vigil") / "data" / "fonts"
    for name in _FONT_FILES:
        if QFontDatabase.addApplicationFontFromData((folder / name).read_bytes()) < 0:
            raise RuntimeError(_PROBLEM_WHEN_NO_FONT.format(name))


def set_styled(widget: QWidget, name: str, value: str) -> None:
    """Change a property that the style sheet asks for, and have it look again."""
    if widget.property(name) != value:
        widget.setProperty(name, value)
        style = widget.style()
        if style is not None:
            style.unpolish(widget)
            style.polish(widget)


def smooth(painter: QPainter) -> QPainter:
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    return painter


FILTER_SWATCHES = {
    "L": "#e3e9f0",
    "R": "#e06a5a",
    "G": "#6ac27a",
    "B": "#6a8ee0",
    "Ha": "#d9534f",
    "O3": "#3fc1c9",
    "S2": "#b5527a",
}
"""Swatches for filters whose rig gives none, by the trade's short letters."""


def swatch_of(filter_name: str) -> QColor:
    """A filter's swatch."""
    known = same_filter(filter_name, FILTER_SWATCHES)
    return theme.swatch(FILTER_SWATCHES[known] if known else theme.tokens.soft)


def _palette(theme: Theme) -> QPalette:
    palette, role = QPalette(), QPalette.ColorRole
    for which, token in (
        (role.Window, "ink"),
        (role.Base, "raised"),
        (role.AlternateBase, "ink"),
        (role.Button, "raised"),
        (role.ToolTipBase, "raised"),
        (role.Highlight, "accent_fill"),
        (role.WindowText, "text"),
        (role.Text, "text"),
        (role.ButtonText, "text"),
        (role.ToolTipText, "text"),
        (role.HighlightedText, "text"),
        (role.PlaceholderText, "faint"),
        (role.Link, "select"),
        (role.BrightText, "text"),
        (role.Light, "line"),
        (role.Midlight, "line"),
        (role.Mid, "line"),
        (role.Dark, "line"),
        (role.Shadow, "well"),
        (role.Accent, "accent"),
    ):
        palette.setColor(which, theme.colour(token))
    for which in (role.WindowText, role.Text, role.ButtonText):
        palette.setColor(QPalette.ColorGroup.Disabled, which, theme.colour("faint"))
    return palette


def _style_sheet(theme: Theme) -> str:
    names = {field.name: theme.colour(field.name).name() for field in fields(Tokens)}
    return Template(_sheet_text()).substitute(
        **names,
        family=TEXT_FAMILY,
        numbers=NUMBER_FAMILY,
        small=Size.SMALL,
        body=Size.BODY,
        head=Size.HEAD,
        large=Size.LARGE,
        button=Size.BUTTON,
    )


@cache
def _sheet_text() -> str:
    return (files("vigil") / "ui" / "theme.qss").read_text(encoding="utf-8")
