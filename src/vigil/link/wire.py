"""News as JSON text and back."""

import json

from vigil.documents.events import Event
from vigil.documents.messages import Live, Reports, Resync, Samples
from vigil.link.endpoint import News

_TYPES: dict[str, type[Event] | type[Live] | type[Resync] | type[Reports] | type[Samples]] = {
    "event": Event,
    "live": Live,
    "resync": Resync,
    "reports": Reports,
    "samples": Samples,
}
_NAMES = {model: name for name, model in _TYPES.items()}


def encode(news: News) -> str:
    """One line of JSON."""
    return f'{{"{_NAMES[type(news)]}": {news.model_dump_json()}}}'


def decode(text: str) -> News:
    """The message in a line. Raises ValueError for anything else."""
    ((name, body),) = json.loads(text).items()
    return _TYPES[name].model_validate(body)
