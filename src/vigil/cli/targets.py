"""`vigil targets`: what tonight offers, or what a search finds."""

import argparse
import json
from collections.abc import Iterable
from datetime import UTC, date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

from vigil.cli import NOT_ALL, OK, BadInput
from vigil.cli.files import EXAMPLE_RIGS, evening_wanted, load_document, rig_path
from vigil.cli.grammar.numbers import number
from vigil.documents.rig import Rig
from vigil.files.search import search
from vigil.planning.offer import Offer, Ranking, Weights, Wish, columns_of, rank, whole_catalogue
from vigil.planning.tonight import tonight
from vigil.sky.angles import format_dec, format_ra
from vigil.sky.instants import from_datetimes
from vigil.sky.spoken import looks_like_position, parse_spoken


def run(args: argparse.Namespace) -> int:
    """0 found, 3 nothing found."""
    rig = load_document(Rig, rig_path(args.rig or EXAMPLE_RIGS[0]))
    at = night_wanted(args.night, rig)
    if args.search is not None and looks_like_position(args.search):
        return _position(args, rig, at)
    known = whole_catalogue()
    wish = _wish(args)
    if args.search is not None:
        found = search(args.search, args.most)[: args.most]
        known = columns_of(tuple(found))
        # what was asked for by name is told even when it stands badly
        wish = Wish(light=wish.light, dusk=wish.dusk, weights=wish.weights, least_hours=0.0)
        ranking = rank(known, rig, at, wish, most=args.most, each_once=False)
        by_name = {offer.entry.name: offer for offer in ranking.offers}
        rows = [_values(by_name[e.name]) if e.name in by_name else _never(e) for e in found]
    else:
        ranking = rank(known, rig, at, wish, most=args.most)
        rows = [_values(offer) for offer in ranking.offers]
    if args.json:
        told = {"night": f"{_evening(at, rig)}", "rig": rig.name, "dark_h": round(ranking.dark_h, 2)}
        print(json.dumps({**told, "moon_lit": round(ranking.moon_lit, 3), "objects": rows}))
    else:
        _print(rows, ranking, rig, at)
    return OK if rows else NOT_ALL


def night_wanted(text: str | None, rig: Rig) -> datetime:
    """A moment of the night whose evening is given, else of the rig's next one; a simulated rig's own evening
    where it has one. Raises BadInput."""
    zone = ZoneInfo(rig.site.time_zone)
    if text is None:
        if rig.simulated is not None:
            return rig.simulated.starts_at
        return datetime.now(UTC)
    return datetime.combine(evening_wanted("--night", text), time(18), zone)


def _evening(at: datetime, rig: Rig) -> date:
    local = at.astimezone(ZoneInfo(rig.site.time_zone))
    return (local - timedelta(hours=12)).date()


def _wish(args: argparse.Namespace) -> Wish:
    weights = Weights()
    if args.weights:
        try:
            values = dict(part.split("=") for part in args.weights.split(","))
            read = {k.strip(): number(0, 3)(v) for k, v in values.items()}
            weights = Weights(**read)
        except argparse.ArgumentTypeError as problem:
            raise BadInput(f"--weights {args.weights!r}: {problem}") from None
        except (ValueError, TypeError):
            raise BadInput(
                f"--weights {args.weights!r}: write for example time=2,size=1,brightness=0.5"
            ) from None
    known = whole_catalogue().entries
    _one_of("--kind", args.kind or (), {e.kind for e in known})
    _one_of("--constellation", [args.constellation or ""], {""} | {e.constellation for e in known})
    return Wish(
        light="narrowband" if args.narrowband else "broadband",
        dusk=args.dusk,
        kinds=frozenset(args.kind or ()),
        constellation=args.constellation or "",
        least_arcmin=args.larger,
        most_arcmin=args.smaller,
        least_altitude_deg=args.above,
        least_moon_deg=args.moon,
        weights=weights,
    )


def _one_of(option: str, given: Iterable[str], known: set[str]) -> None:
    for word in given:
        if word not in known:
            raise BadInput(f"{option} {word!r} is not known; there are {', '.join(sorted(known - {''}))}")


def _position(args: argparse.Namespace, rig: Rig, at: datetime) -> int:
    try:
        spoken = parse_spoken(args.search, from_datetimes(at))
    except ValueError as problem:
        raise BadInput(f"--search: {problem}") from None
    told = tonight(spoken.ra_deg, spoken.dec_deg, rig, at)
    values = {
        "ra_deg": spoken.ra_deg,
        "dec_deg": spoken.dec_deg,
        "of_date": spoken.of_date,
        "hours": round(told.usable_h, 2),
        "transit": told.transit.isoformat(timespec="minutes") if told.transit else None,
        "moon_deg": round(told.moon_apart_deg, 1),
    }
    if args.json:
        print(json.dumps({"night": f"{_evening(at, rig)}", "rig": rig.name, "position": values}))
    else:
        place = f"{format_ra(spoken.ra_deg, 1)} {format_dec(spoken.dec_deg)} (ICRS)"
        moon = f"moon {told.moon_apart_deg:.0f}° away"
        print(f"{place}: {told.usable_h:.1f} h above the horizon in darkness, {moon}")
    return OK


def _never(entry: Any) -> dict[str, Any]:
    return {**_of_entry(entry), "hours": 0.0, "score": 0.0, "fit": "not above the horizon in darkness"}


def _of_entry(entry: Any) -> dict[str, Any]:
    return {
        "name": entry.name,
        "common_name": entry.common_name,
        "kind": entry.kind,
        "constellation": entry.constellation,
        "ra_deg": entry.ra_deg,
        "dec_deg": entry.dec_deg,
        "major_arcmin": entry.major_arcmin or None,
        "minor_arcmin": entry.minor_arcmin or None,
    }


def _values(offer: Offer) -> dict[str, Any]:
    return {
        **_of_entry(offer.entry),
        "hours": round(offer.hours, 2),
        "highest_deg": round(offer.highest_deg, 1),
        "moon_deg": round(offer.moon_deg, 1),
        "sky_mag_arcsec2": round(offer.sky_mag, 2),
        "object_mag_arcsec2": None if offer.object_mag is None else round(offer.object_mag, 2),
        "contrast_mag": None if offer.contrast_mag is None else round(offer.contrast_mag, 2),
        "panels": list(offer.panels) if offer.panels else None,
        "fit": offer.fit,
        "score": round(offer.score, 4),
    }


def _print(rows: list[dict[str, Any]], ranking: Ranking, rig: Rig, at: datetime) -> None:
    moon = f"moon {100 * ranking.moon_lit:.0f} %"
    print(f"{rig.name}, night of {_evening(at, rig)}: {ranking.dark_h:.1f} h dark, {moon}")
    for row in rows:
        common = f" ({row['common_name'].split(';')[0]})" if row["common_name"] else ""
        size = f"{row['major_arcmin']:.0f}′" if row["major_arcmin"] else "size unknown"
        high = f" to {row['highest_deg']:2.0f}°, moon {row['moon_deg']:3.0f}°" if "highest_deg" in row else ""
        figures = f"{row['score']:.2f}  {row['hours']:4.1f} h{high}"
        print(f"{figures}  {row['name']}{common} · {row['kind']} · {size} · {row['fit']}")
    if not rows:
        print("nothing fits: widen the limits, or try another number or a shorter part of the name")
