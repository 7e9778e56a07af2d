"""What is usual for a series of frames, and where a night acts on a change, for engine and window."""

from collections.abc import Sequence
from statistics import median

from vigil.documents.plan import StandingOrders

FEWEST, _BEFORE = 3, 9


def size_after_focus(sizes: Sequence[float]) -> float:
    """Star size just after focusing, of the sizes since then in order; of several the first ones tell."""
    return min(sizes[0], median(sizes[:FEWEST]))


def usual_stars(counts: Sequence[int]) -> float | None:
    """Of a series' frames before the last one, in order; None before there are enough."""
    before = counts[:-1][-_BEFORE:]
    return median(before) if len(before) >= FEWEST and median(before) > 0 else None


def size_limit(sizes: Sequence[float], orders: StandingOrders) -> float | None:
    """The star size that has Vigil focus again; None where none does."""
    if orders.focus_grown_by_percent is None or not sizes:
        return None
    return size_after_focus(sizes) * (1 + orders.focus_grown_by_percent / 100)


def stars_limit(counts: Sequence[int], orders: StandingOrders) -> float | None:
    """The number of stars under which the night holds; None where it doesn't, or not yet."""
    usual = usual_stars(counts)
    if usual is None or orders.stars_at_least_percent is None:
        return None
    return usual * orders.stars_at_least_percent / 100


def off_target_limit_px(orders: StandingOrders, scale_arcsec_px: float) -> float | None:
    """How far off a solved frame may be before Vigil centres again; None where it doesn't."""
    keep = orders.target_keep_arcmin
    return None if keep is None else 60 * keep / scale_arcsec_px
