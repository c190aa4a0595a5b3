"""The causes two cases differ by, and the list any coalition of them makes."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from difflib import SequenceMatcher

from widefork.core.changes import Change, Layer
from widefork.core.changes.words import write_change
from widefork.core.graph.model import Model


@dataclass(frozen=True)
class Cause:
    """One step by which two cases differ.

    Parameters
    ----------
    key : str. ``move:bridge_loan`` or ``line:kit_price``; further steps about one line count on, ``line:kit_price:2``.
    label : for a reader.
    group : what it is counted with where steps are taken together: its move or its line.
    section, note : the line's section, and why, in the words of the step; for a move, its group or “Moves”, and its
        note. line : changed; empty for a move. does : what the step does, in words.
    """

    key: str
    label: str
    group: str
    section: str = ""
    note: str = ""
    line: str = ""
    does: str = ""


@dataclass(frozen=True)
class Entry:
    """A change of either list. ``cause`` is its place among the causes, None where both lists have it."""

    change: Change
    cause: int | None
    is_new: bool


@dataclass(frozen=True)
class Causes:
    """What two cases differ by.

    Parameters
    ----------
    causes : in the order they first apply.
    entries : both lists merged in one order, whichever way round the two are named; every coalition keeps it.
    is_backwards : whether the case to end at is the one whose entries are not new.
    """

    causes: tuple[Cause, ...]
    entries: tuple[Entry, ...]
    is_backwards: bool = False

    def list_for(self, coalition: Collection[int]) -> tuple[Change, ...]:
        """Return the changes when some causes have happened: theirs are those at the end, all else those at the start.

        Parameters
        ----------
        coalition : places of causes.
        """
        return tuple(
            entry.change
            for entry in self.entries
            if entry.cause is None or entry.is_new == ((entry.cause in coalition) != self.is_backwards)
        )


def causes_between(model: Model, origin: str, target: str) -> Causes:
    """Return the causes by which one case differs from another, one for each step only one of them takes.

    A move both have on, but from another month or at another strength, is one cause too. Raises UnknownName for a case
    that is not there.
    """
    names = [case.name for case in model.cases]
    places = [names.index(model.case(name).name) for name in (origin, target)]
    one, two = (model.layers_of(names[place]) for place in sorted(places))
    found, entries = _merged(model, one, two)
    return Causes(found, entries, is_backwards=places[0] > places[1])


def _merged(model: Model, one: Sequence[Layer], two: Sequence[Layer]) -> tuple[tuple[Cause, ...], tuple[Entry, ...]]:
    places: dict[str, int] = {}
    causes: list[Cause] = []
    entries: list[Entry] = []

    rivals = _rivals(model, one, two)

    def place_of(layer: Layer) -> int:
        key = "" if layer.move is None else rivals.get(layer.move, f"move:{layer.move}")
        if key in places:
            return places[key]
        cause = _cause(model, layer, [known.group for known in causes])
        if key.startswith("one_of:"):
            group = key.removeprefix("one_of:")
            cause = replace(cause, key=key, group=key, label=_turn(model, group, one, two), does="")
        places[cause.key] = len(causes)
        causes.append(cause)
        return places[cause.key]

    first, second = ([(layer.move, layer.changes) for layer in stack] for stack in (one, two))
    matcher = SequenceMatcher(None, first, second, autojunk=False)
    for kind, start, stop, begin, end in matcher.get_opcodes():
        if kind == "equal":
            entries.extend(Entry(change, None, is_new=False) for layer in one[start:stop] for change in layer.changes)
            continue
        for is_new, run in ((False, one[start:stop]), (True, two[begin:end])):
            for layer in run:
                place = place_of(layer)
                entries.extend(Entry(change, place, is_new) for change in layer.changes)
    return tuple(causes), tuple(entries)


def does_of(change: Change) -> str:
    """Return what a change does, in the words of the text form, without its line."""
    return write_change(change).removeprefix(change.line).strip()


def _rivals(model: Model, one: Sequence[Layer], two: Sequence[Layer]) -> dict[str, str]:
    """Moves of a group of which each list has another one on: they change places, as one cause."""
    groups = {move.name: move.group for move in model.moves if move.group}
    first, second = ({groups[x.move]: x.move for x in stack if x.move in groups} for stack in (one, two))
    swapped = [group for group in first if group in second and first[group] != second[group]]
    return {name: f"one_of:{group}" for group in swapped for name in (first[group], second[group])}


def _turn(model: Model, group: str, one: Sequence[Layer], two: Sequence[Layer]) -> str:
    on = [
        next(model.move_by_name[x.move].label for x in stack if x.move and model.move_by_name[x.move].group == group)
        for stack in (one, two)
    ]
    return " or ".join(on)


def _cause(model: Model, layer: Layer, groups: Sequence[str]) -> Cause:
    if layer.move is not None:
        key, move = f"move:{layer.move}", model.move_by_name[layer.move]
        return Cause(key, move.label, key, move.group or "Moves", move.note)
    [change] = layer.changes
    group, line = f"line:{change.line}", model.line(change.line)
    earlier = groups.count(group)
    does = does_of(change)
    section = next((each.label for each in model.sections if each.name == line.section), line.section)
    key = group if not earlier else f"{group}:{earlier + 1}"
    label = line.label if not earlier else f"{line.label}: {does}"
    return Cause(key, label, group, section, change.note, change.line, does)
