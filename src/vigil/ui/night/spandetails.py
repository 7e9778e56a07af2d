"""When a block may run: the span's own fields, shown when asked for."""

from collections.abc import Callable
from datetime import time
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QVBoxLayout, QWidget

from vigil.documents.plan import Block, Span
from vigil.ui import words
from vigil.ui.fields import ValueField, number
from vigil.ui.night.linerow import MOON_IS, MOON_WORDS
from vigil.ui.pieces import Choice, label
from vigil.ui.session import Session

_TWILIGHTS = ("civil", "nautical", "astronomical")
_ORDERS = ("one after another", "in turn")


class SpanDetails(QWidget):
    """Each field is in force with Enter; empty ones ask for nothing."""

    def __init__(self, session: Session, block_id: str, said: Callable[[str], None]) -> None:
        super().__init__()
        self._session, self._block_id, self._said = session, block_id, said
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(8, 2, 0, 4)
        self._layout.setSpacing(4)
        self.target = self._field("Another target for these lines, by its name", self._set_target)
        self.target.setFixedWidth(150)
        self.target.setAlignment(Qt.AlignmentFlag.AlignLeft)
        self._row("target", self.target)
        self.altitude = self._field("Lowest altitude, degrees", self._set_altitude)
        self.order = self._choice("Order of the lines", _ORDERS, lambda n: self._block(order=_ORDERS[n]))
        self._row("above", self.altitude, "°", self.order)
        self.dusk = self._choice("Which dusk", _TWILIGHTS, lambda n: self._sun("opens", moment=_TWILIGHTS[n]))
        self.dusk_min = self._field("Minutes after that dusk", lambda t: self._sun_min("opens", t))
        self._row("dusk", self.dusk, self.dusk_min, "min")
        self.dawn = self._choice(
            "Which dawn", _TWILIGHTS, lambda n: self._sun("closes", moment=_TWILIGHTS[n])
        )
        self.dawn_min = self._field("Minutes after that dawn", lambda t: self._sun_min("closes", t))
        self._row("dawn", self.dawn, self.dawn_min, "min")
        self.from_clock = self._field(
            "From this time of the clock", lambda t: self._set_clock("from_clock", t)
        )
        self.until_clock = self._field(
            "Until this time of the clock", lambda t: self._set_clock("until_clock", t)
        )
        self._row("from", self.from_clock, "until", self.until_clock)
        self.hour_from = self._field("Hour angle from", lambda t: self._set_hours("hour_angle_from_h", t))
        self.hour_until = self._field("Hour angle until", lambda t: self._set_hours("hour_angle_until_h", t))
        self._row("hour angle", self.hour_from, "to", self.hour_until, "h")
        self.moon = self._choice("Moon", MOON_WORDS, lambda n: self._span(moon=MOON_IS[n]))
        self.apart = self._field("Least distance from the moon, degrees", self._set_apart)
        self.lit = self._field("The moon lit by at most, per cent", self._set_lit)
        self._row(self.moon, "lit by at most", self.lit, "%")
        self._row("from the moon at least", self.apart, "°")
        self.overrun = QCheckBox("a last frame may end after it")
        self.overrun.clicked.connect(lambda on: self._span(may_overrun=on))
        self._layout.addWidget(self.overrun)
        self.hide()

    def _field(self, name: str, take: Callable[[str], None]) -> ValueField:
        field = ValueField(name, take, self._said)
        field.setFixedWidth(46)
        return field

    def _choice(self, name: str, items: tuple[str, ...], take: Callable[[int], None]) -> Choice:
        choice = Choice()
        choice.setAccessibleName(name)
        choice.setToolTip(name)
        choice.addItems(items)
        choice.activated.connect(take)
        return choice

    def _row(self, *parts: QWidget | str) -> None:
        made = QHBoxLayout()
        made.setSpacing(5)
        for part in parts:
            made.addWidget(label(part, "small") if isinstance(part, str) else part)
        made.addStretch(1)
        self._layout.addLayout(made)

    # -- edits ---------------------------------------------------------------------------------------

    def _block(self, **values: Any) -> None:
        try:
            self._session.plan.edit_block(self._block_id, "the block's order", **values)
        except ValueError as problem:
            self._said(str(problem))

    def _change(self, **values: Any) -> None:
        """Raises ValueError, for fields that show it themselves."""
        span = self._session.plan.block(self._block_id).span.model_dump()
        self._session.plan.edit_block(self._block_id, "the block's span", span={**span, **values})

    def _span(self, **values: Any) -> None:
        try:
            self._change(**values)
        except ValueError as problem:
            self._said(str(problem))

    def _sun(self, side: str, **values: Any) -> None:
        moment = getattr(self._session.plan.block(self._block_id).span, side)
        self._span(**{side: moment.model_copy(update=values).model_dump()})

    def _sun_min(self, side: str, text: str) -> None:
        minutes = number(_plain(text) or "0", "minutes", -720.01, 720)
        moment = getattr(self._session.plan.block(self._block_id).span, side)
        self._change(**{side: moment.model_copy(update={"minutes": minutes}).model_dump()})

    def _set_target(self, text: str) -> None:
        """Swap the target and keep the lines; the camera's angle was the old target's."""
        self._session.plan.edit_block(self._block_id, f"{text} in its place", target={"name": text})

    def _set_altitude(self, text: str) -> None:
        self._change(minimum_altitude_deg=number(_plain(text), "above", -0.01, 89.9))

    def _set_clock(self, side: str, text: str) -> None:
        try:
            clock = time.fromisoformat(text.strip().zfill(5)) if text.strip() else None
        except ValueError:
            raise ValueError(f"{text!r} is no time of the clock; write for example 22:30") from None
        self._change(**{side: clock})

    def _set_hours(self, side: str, text: str) -> None:
        hours = number(_plain(text), "hour angle", -12.01, 12) if text.strip() else None
        self._change(**{side: hours})

    def _set_apart(self, text: str) -> None:
        apart = number(_plain(text), "from the moon", 0, 180) if text.strip() else None
        self._change(moon_apart_deg=apart)

    def _set_lit(self, text: str) -> None:
        lit = number(_plain(text), "lit by", -0.01, 100) if text.strip() else None
        self._change(moon_percent_at_most=lit)

    # -- showing --------------------------------------------------------------------------------------

    def show_block(self, block: Block, locked: bool) -> None:
        span: Span = block.span
        self.target.show_value(block.target.name)
        self.altitude.show_value(f"{span.minimum_altitude_deg:g}")
        self.order.setCurrentIndex(_ORDERS.index(block.order))
        for choice, field, moment in (
            (self.dusk, self.dusk_min, span.opens),
            (self.dawn, self.dawn_min, span.closes),
        ):
            choice.setCurrentIndex(_TWILIGHTS.index(moment.moment))
            field.show_value(words.signed(moment.minutes, 1).removesuffix(".0"))
        self.from_clock.show_value(f"{span.from_clock:%H:%M}" if span.from_clock else "")
        self.until_clock.show_value(f"{span.until_clock:%H:%M}" if span.until_clock else "")
        for field, hours in (
            (self.hour_from, span.hour_angle_from_h),
            (self.hour_until, span.hour_angle_until_h),
        ):
            field.show_value("" if hours is None else f"{hours:g}".replace("-", words.MINUS))
        self.moon.setCurrentIndex(MOON_IS.index(span.moon))
        self.apart.show_value("" if span.moon_apart_deg is None else f"{span.moon_apart_deg:g}")
        self.lit.show_value("" if span.moon_percent_at_most is None else f"{span.moon_percent_at_most:g}")
        self.overrun.setChecked(span.may_overrun)
        self.setEnabled(not locked)


def _plain(text: str) -> str:
    return text.strip().rstrip("°%h").replace(words.MINUS, "-").strip()
