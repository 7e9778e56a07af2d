"""The kinds of errands that anybody may ask for by name: a module of this folder each, found by itself.

Nights, work by hand and the guards' own errands are begun in their own ways.
"""

from functools import cache
from importlib import import_module
from pkgutil import iter_modules

from vigil.engine.errand import PlainErrand


@cache
def kinds() -> dict[str, type[PlainErrand]]:
    """By what they are called."""
    found: dict[str, type[PlainErrand]] = {}
    for module in iter_modules(__path__):
        loaded = import_module(f"{__name__}.{module.name}")
        for kind in vars(loaded).values():
            if (
                isinstance(kind, type)
                and issubclass(kind, PlainErrand)
                and kind.__module__ == loaded.__name__
            ):
                found[kind.KIND] = kind
    return found
