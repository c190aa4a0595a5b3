"""A named collection that is loud about duplicate and unknown names."""

from collections.abc import Iterator
from typing import Generic, Protocol, TypeVar

from widefork.core.errors import UnknownName


class Named(Protocol):
    """Anything with a name."""

    @property
    def name(self) -> str: ...  # noqa: D102  (the protocol's one word)


Entry = TypeVar("Entry", bound=Named)


class Registry(Generic[Entry]):
    """Entries by name, in the order given.

    Parameters
    ----------
    kind : str. What the entries are, for messages ("schedule").
    entries : the entries; each has a ``name``.

    Raises
    ------
    ValueError: two entries with the same name.
    """

    def __init__(self, kind: str, *entries: Entry) -> None:
        self.kind = kind
        self._entries: dict[str, Entry] = {}
        for entry in entries:
            if entry.name in self._entries:
                raise ValueError(f"two entries named {entry.name!r} in the registry of {kind}s")
            self._entries[entry.name] = entry

    def __getitem__(self, name: str) -> Entry:
        """Return the entry of that name; raise UnknownName with the nearest ones."""
        try:
            return self._entries[name]
        except KeyError:
            raise UnknownName(self.kind, name, self._entries) from None

    def __contains__(self, name: object) -> bool:
        return name in self._entries

    def __iter__(self) -> Iterator[Entry]:
        return iter(self._entries.values())

    def __len__(self) -> int:
        return len(self._entries)

    @property
    def names(self) -> tuple[str, ...]:
        """All names, in order."""
        return tuple(self._entries)
