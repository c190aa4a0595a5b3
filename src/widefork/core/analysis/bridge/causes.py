"""The causes two change lists differ by, and the list any coalition of them makes."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher

from widefork.core.changes import Change, Layer, layers
from widefork.core.graph.model import Model


@dataclass(frozen=True)
class Cause:
    """One thing two change lists differ by: a move, or what is changed about one line.

    Parameters
    ----------
    key : str. ``move:bridge_loan`` or ``line:kit_price``. label : for a reader.
    """

    key: str
    label: str


@dataclass(frozen=True)
class Entry:
    """A change of either list. ``cause`` is its place among the causes, None where both lists have it."""

    change: Change
    cause: int | None
    is_new: bool


@dataclass(frozen=True)
class Causes:
    """What two lists differ by.

    Parameters
    ----------
    causes : in the order they first apply.
    entries : both lists merged in the order they apply; every coalition keeps this order.
    """

    causes: tuple[Cause, ...]
    entries: tuple[Entry, ...]

    def list_for(self, coalition: Collection[int]) -> tuple[Change, ...]:
        """Return the changes when some causes have happened: theirs are the second list's, all else the first's."""
        return tuple(
            entry.change for entry in self.entries if entry.cause is None or entry.is_new == (entry.cause in coalition)
        )


def causes_between(model: Model, origin: str, target: str) -> Causes:
    """Return the causes by which one case differs from another; raise UnknownName for a case that is not there."""
    one, two = (layers(model.case_by_name, model.move_by_name, model.case(name).name) for name in (origin, target))
    return causes_of(model, one, two)


def causes_of(model: Model, origin: Sequence[Layer], target: Sequence[Layer]) -> Causes:
    """Return the causes by which two stacks of layers differ. A move is one cause; all other changes of a line are one.

    Raises
    ------
    UnknownName: a change on an unknown line.
    """
    one, two = _tagged(model, origin), _tagged(model, target)
    places: dict[Cause, int] = {}
    entries: list[Entry] = []
    matcher = SequenceMatcher(None, one, two, autojunk=False)
    for kind, start, stop, begin, end in matcher.get_opcodes():
        if kind == "equal":
            entries.extend(Entry(change, None, is_new=False) for change, _ in one[start:stop])
            continue
        for is_new, run in ((False, one[start:stop]), (True, two[begin:end])):
            for change, cause in run:
                entries.append(Entry(change, places.setdefault(cause, len(places)), is_new))
    return Causes(tuple(places), tuple(entries))


def _tagged(model: Model, stack: Sequence[Layer]) -> list[tuple[Change, Cause]]:
    found = []
    for layer in stack:
        for change in layer.changes:
            if layer.move is None:
                cause = Cause(f"line:{change.line}", model.line(change.line).label)
            else:
                cause = Cause(f"move:{layer.move}", model.move_by_name[layer.move].label)
            found.append((change, cause))
    return found
