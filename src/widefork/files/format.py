"""What a file format is."""

from collections.abc import Callable
from dataclasses import dataclass

from widefork.core.graph.model import Model


@dataclass(frozen=True)
class Format:
    """A format's entry in the registry.

    Parameters
    ----------
    name, suffix, media_type : str. read, write : text to model and back; raise InvalidModel with the place.
    """

    name: str
    suffix: str
    media_type: str
    read: Callable[[str], Model]
    write: Callable[[Model], str]
