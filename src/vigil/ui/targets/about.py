"""The inspector's first page: what tonight and the year offer a target."""

from PyQt6.QtWidgets import QWidget

from vigil.files.deepsky import DeepSkyObject
from vigil.planning.offer import Offer, Wish
from vigil.planning.tonight import Tonight, tonight
from vigil.sky.instants import unix_s
from vigil.sky.visibility import usable_hours, year_from
from vigil.ui import words
from vigil.ui.jobs import Jobs
from vigil.ui.pieces import Facts, Told, column, label
from vigil.ui.session import Session
from vigil.ui.targets.framemodel import Frame
from vigil.ui.targets.year import YearStrip, first_night

_DARK_BELOW_DEG = {"civil": -6.0, "nautical": -12.0, "astronomical": -18.0}


class AboutPage(QWidget):
    """Told anew when target, night or rig change; the year is reckoned in a thread."""

    def __init__(self, session: Session, jobs: Jobs) -> None:
        super().__init__()
        self._session, self._jobs = session, jobs
        self._tonight: Tonight | None = None
        self._told_for: tuple[object, ...] = ()
        self._year_for: tuple[object, ...] = ()
        self.aliases = Told("", "small")
        self.where, self.tonight_facts, self.light_facts = Facts(), Facts(), Facts()
        self.year = YearStrip()
        layout = column(
            self.aliases,
            label("Tonight", "section"),
            self.tonight_facts,
            label("The year", "section"),
            self.year,
            label("Brightness", "section"),
            self.light_facts,
            label("Position (ICRS)", "section"),
            self.where,
            gap=6,
        )
        layout.setContentsMargins(0, 0, 8, 0)
        layout.addStretch(1)
        self.setLayout(layout)

    def tell(self, frame: Frame, offer: Offer | None, wish: Wish) -> Tonight:
        """Returns what tonight offers the place, for the altitude picture."""
        session, g = self._session, frame.framing
        key = (g.ra_deg, g.dec_deg, session.sky.noon, session.rig)
        if self._tonight is None or self._told_for != key:
            self._tonight = tonight(g.ra_deg, g.dec_deg, session.rig, session.now)
            self._told_for = key
        if self._year_for != (*key, wish.dusk):
            self._year_for = (*key, wish.dusk)
            self._reckon_year(g.ra_deg, g.dec_deg, _DARK_BELOW_DEG[wish.dusk])
        also = _also(frame.entry)
        self.aliases.setText("also " + ", ".join(also) if also else "")
        self.aliases.setVisible(bool(also))
        self.where.show_facts(
            [("right ascension", words.ra(g.ra_deg)), ("declination", words.dec(g.dec_deg))]
        )
        self._tell_tonight(self._tonight, g.ra_deg, g.dec_deg)
        self._tell_light(offer, wish)
        return self._tonight

    def _tell_tonight(self, told: Tonight, ra_deg: float, dec_deg: float) -> None:
        session, zone = self._session, self._session.zone
        spans = [f"{words.clock(i.opens, zone)}–{words.clock(i.closes, zone)}" for i in told.intervals]
        facts = [
            ("dark and high enough", ", ".join(spans) or "never tonight"),
            ("usable", words.hours(3600 * told.usable_h) if told.intervals else words.NOTHING),
        ]
        if told.transit is not None:
            high = words.degrees(told.transit_altitude_deg)
            facts.append(("meridian", f"{words.clock(told.transit, zone)}, {high}"))
        mount = session.rig.mount
        if mount is not None and mount.kind == "german" and told.transit is not None:
            facts.append(("flip", words.clock(told.flip, zone) if told.flip else "not while it is up"))
        moon = words.degrees(told.moon_apart_deg)
        facts.append(("moon", f"{100 * told.moon_illumination:.0f} %, {moon} away"))
        shown = session.moments.shown
        altitude = session.sky.at(session.altitudes_deg(ra_deg, dec_deg), shown)
        facts.append((f"altitude at {words.clock(shown, zone)}", words.degrees(altitude)))
        self.tonight_facts.show_facts(facts)

    def _tell_light(self, offer: Offer | None, wish: Wish) -> None:
        if offer is None:
            self.light_facts.show_facts([("sky and object", words.NOTHING)])
            return
        own = "unknown" if offer.object_mag is None else f"{offer.object_mag:.1f} mag/arcsec²"
        contrast = words.NOTHING if offer.contrast_mag is None else f"{words.signed(offer.contrast_mag)} mag"
        self.light_facts.show_facts(
            [
                ("sky at the target", f"{offer.sky_mag:.1f} mag/arcsec²"),
                ("object's surface", own),
                (f"contrast, {wish.light}", contrast),
                ("in the frame", offer.fit),
                ("score", f"{offer.score:.2f}"),
            ]
        )

    def _reckon_year(self, ra_deg: float, dec_deg: float, dark_below_deg: float) -> None:
        rig, noon = self._session.rig, self._session.sky.noon
        first = first_night(noon)
        site, line = rig.site.place(), rig.site.sky_line()

        def work() -> tuple:
            year = year_from(unix_s(first), 365, site)
            return usable_hours(ra_deg, dec_deg, year, line, dark_below_deg), first, (noon - first).days

        self._jobs.run("year", work, lambda told: self.year.show_hours(*told), lambda _: self.year.clear())


def headline(entry: DeepSkyObject) -> str:
    """What it is, in a line."""
    size = words.arc(entry.major_arcmin) if entry.major_arcmin else "size unknown"
    if entry.minor_arcmin and entry.minor_arcmin != entry.major_arcmin:
        size += f" {words.TIMES} {words.arc(entry.minor_arcmin)}"
    common = entry.common_names[0] if entry.common_names else ""
    return ", ".join(x for x in (common, f"{entry.kind}, {size}", entry.constellation) if x)


def _also(entry: DeepSkyObject | None) -> list[str]:
    return [*entry.common_names[1:], *entry.aliases][:5] if entry is not None else []
