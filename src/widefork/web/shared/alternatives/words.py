"""What one reads from a table of alternatives, in sentences: which is best where, and which falls behind least."""

from collections.abc import Callable, Sequence
from math import isnan

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.grid import AS_IT_IS, Alternatives, Best, best_in_rows, runs_of

Values = NDArray[np.float64]
Words = tuple[tuple[str, bool], ...]
"""Pieces of a sentence, each with whether it is set bold."""
MOST_NAMED = 3
NEAR_TIE = 0.02
"""Of the spread of a row: closer than that, two are nearly the same."""


def best_words(rows: Alternatives, columns: Alternatives, best: Best, heading: str) -> Words:
    """Return which column is best in which rows, as one sentence; ``heading`` says in which table, or is empty."""
    runs = runs_of(best)
    lead = f"{heading}: " if heading else ""
    if not runs:
        return ((f"{lead}no row has a value.", False),)
    if len(runs) == 1 and runs[0].last - runs[0].first == len(rows.choices) - 1:
        many = len(rows.choices) > 1
        everywhere = f" in {'all ' if many else ''}{_counted(len(rows.choices), 'row')}." if many else "."
        if len(runs[0].columns) == len(columns.choices):
            return ((f"{lead}all {len(columns.choices)} come to the same{everywhere}", False),)
        return ((lead, False), (_named(columns, runs[0].columns), True), (f" is best{everywhere}", False))
    pieces: list[tuple[str, bool]] = [(lead, False)]
    wheres = _ordered_wheres(rows, best) if rows.is_ordered else _wheres(rows, best)
    for place, (where, winners) in enumerate(wheres):
        text = f"{where}: " if place else f"{where[:1].upper()}{where[1:]}: "
        pieces += [("; " if place else "", False), (text if not (lead and not place) else f"{where}: ", False)]
        pieces.append((_named(columns, winners), True))
    return (*pieces, (".", False))


def _ordered_wheres(rows: Alternatives, best: Best) -> list[tuple[str, tuple[int, ...]]]:
    labels, found = [choice.label for choice in rows.choices], []
    for run in runs_of(best):
        first, last = labels[run.first], labels[run.last]
        if run.first == run.last:
            where = first
        elif run.last == len(labels) - 1:
            where = f"from {first} on"
        else:
            where = f"up to {last}" if run.first == 0 else f"from {first} to {last}"
        found.append((where, run.columns))
    return found


def _wheres(rows: Alternatives, best: Best) -> list[tuple[str, tuple[int, ...]]]:
    found: dict[tuple[int, ...], list[str]] = {}
    for choice, columns in zip(rows.choices, best.places, strict=True):
        if columns:
            found.setdefault(columns, []).append(choice.label)
    return [(_listed(labels), columns) for columns, labels in found.items()]


def regret_words(columns: Alternatives, behind: Sequence[float], apart: Callable[[float], str]) -> Words:
    """Return which column falls behind the best least, wherever one ends up; empty where one is always best."""
    known = [(gap, place) for place, gap in enumerate(behind) if not isnan(gap)]
    if len(known) < 2:
        return ()
    least, place = min(known)
    most, worst = max(known)
    if least == most:
        return ()
    labels = [f"“{choice.label}”" if choice.label == AS_IT_IS else choice.label for choice in columns.choices]
    if least == 0:
        return (
            (f"Whatever happens, {labels[place]} is not beaten; {labels[worst]} is up to {apart(most)} behind.", False),
        )
    return (
        ("Not knowing which row it will be, ", False),
        (labels[place], True),
        (f" falls behind least: by {apart(least)} at most. {labels[worst]} can be {apart(most)} behind.", False),
    )


def near_ties(
    rows: Alternatives, columns: Alternatives, amounts: Values, is_less: bool, apart: Callable[[float], str]
) -> Words:
    """Return the rows in which the two best are close together; empty where none is."""
    found = []
    for row, choice in enumerate(rows.choices):
        known = sorted((float(value) for value in amounts[row] if not isnan(value)), reverse=not is_less)
        if len(known) < 3 or known[0] == known[-1]:
            continue
        gap = abs(known[0] - known[1])
        if 0 < gap <= NEAR_TIE * abs(known[0] - known[-1]) and len(best_in_rows(amounts[row : row + 1]).places[0]) == 1:
            found.append(f"{choice.label} ({apart(gap)} apart)")
    if not found:
        return ()
    more = f" and {len(found) - MOST_NAMED} more" if len(found) > MOST_NAMED else ""
    return ((f"Nearly a tie between the two best: {_listed(found[:MOST_NAMED])}{more}.", False),)


def alike_words(groups: Sequence[Sequence[str]], what: str) -> Words:
    """Return which alternatives of a set come to the same everywhere."""
    said = "; ".join(_listed(list(group)) for group in groups)
    return ((f"The same wherever they stand, of {what}: {said}. Such an alternative changes nothing here.", False),)


def _named(columns: Alternatives, places: Sequence[int]) -> str:
    labels = [columns.choices[place].label for place in places]
    more = len(labels) - MOST_NAMED
    return " or ".join(labels[:MOST_NAMED]) + (f" or {more} more" if more > 0 else "")


def _listed(labels: Sequence[str]) -> str:
    return labels[0] if len(labels) == 1 else f"{', '.join(labels[:-1])} and {labels[-1]}"


def _counted(count: int, what: str) -> str:
    return f"{count} {what}{'' if count == 1 else 's'}"
