"""Where the series of a table belong in a model: which line, which members; or something of their own."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from widefork.core.analysis.trends import Series
from widefork.core.axes import Month
from widefork.core.closing import NOT_GIVEN
from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.history import History
from widefork.core.lines import Line
from widefork.files.history.read import HistoryTable

NAMELESS = ("value", "amount", "total")
"""Heads of columns that say nothing of what stands in them."""


@dataclass(frozen=True)
class Placed:
    """One series of a table, and where it goes.

    Parameters
    ----------
    source : its name in the table. history : as it goes into the model. line : None for what no line is for.
    changed : periods known already that are other in the table; 0 where nothing is known yet.
    words : what a reader should know of where it goes.
    """

    source: str
    history: History
    line: Line | None
    is_known: bool
    changed: int
    words: str = ""


def place_table(
    table: HistoryTable, model: Model, line: str = "", chosen: Mapping[str, str] | None = None
) -> list[Placed]:
    """Return every series of a table with its place in a model.

    Parameters
    ----------
    line : the line all of it is about, by name or label; empty where the table says so itself.
    chosen : by name in the table, where a person said it goes, as ``place_label`` writes it; empty for out.

    Raises
    ------
    InvalidValue: a line or place that is not there.
    """
    names = {_plain(text): each for each in model.lines for text in (each.label, each.name)}
    given = None
    if line:
        given = names.get(_plain(line))
        if given is None:
            raise InvalidValue(f"There is no line “{line}”. Choose one of the model, or leave it to the table.")
    own = {place_label(each, key): (each, key) for each in model.lines for key in _keys(model, each)} if chosen else {}
    found: list[Placed] = []
    for source, series in table.series.items():
        said = (chosen or {}).get(source)
        if said is not None and not said.strip():
            continue
        words = [member for _, member in table.members[source] if member]
        measure = table.measures.get(source, "")
        tokens = [part for word in (measure, *words) for part in _parts(word)]
        if said is not None and said.strip() in own:
            target, members = own[said.strip()]
            found.append(_placed(source, series, table, model, target, members, ""))
        elif said is not None and not _is_guess(said, source, tokens):
            found.append(_of_its_own(source, series, table, model, said.strip(), ""))
        else:
            found.append(_guessed(source, series, table, model, tokens, given, names))
    taken: dict[str, int] = {}
    for each in found:
        taken[each.history.name] = taken.get(each.history.name, 0) + 1
    twice = {name for name, count in taken.items() if count > 1}
    return [
        replace(each, words=f"{each.words} Several series go here; choose one.".strip())
        if each.history.name in twice
        else each
        for each in found
    ]


def place_label(line: Line, members: Sequence[tuple[str, str]]) -> str:
    """Return how a place is written where one is chosen."""
    return ", ".join((line.label, *(member for _, member in members)))


def place_choices(model: Model) -> list[str]:
    """Return every place there is, in the order of the model's own lines."""
    return [place_label(line, key) for line in model.lines if not line.is_generated for key in _keys(model, line)]


def _keys(model: Model, line: Line) -> list[tuple[tuple[str, str], ...]]:
    keys = [tuple(zip(line.dimensions, key, strict=True)) for key in model.keys_of(line)]
    return [*keys, ()] if line.dimensions else keys


def _is_guess(said: str, source: str, tokens: Sequence[str]) -> bool:
    return said.strip() in (source, ", ".join(tokens))


def _parts(word: str) -> list[str]:
    return [part.strip() for part in re.split(r"\s*[,/·|]\s*", word) if part.strip()]


def _plain(text: str) -> str:
    return re.sub(r"[\W_]+", " ", text.casefold()).strip()


def _guessed(
    source: str,
    series: Series,
    table: HistoryTable,
    model: Model,
    tokens: Sequence[str],
    given: Line | None,
    names: Mapping[str, Line],
) -> Placed:
    """The line one of the words names, at the members the others name."""
    line = given
    left = list(tokens)
    for token in tokens if given is None else ():
        if _plain(token) in names:
            line = names[_plain(token)]
            left.remove(token)
            break
    if line is None:
        said = [token for token in tokens if _plain(token) not in NAMELESS] or [source]
        return _of_its_own(source, series, table, model, ", ".join(said), "no line is called so")
    members, strange = _members(model, line, left)
    words = ""
    if strange and line is not given:
        return _of_its_own(source, series, table, model, ", ".join(tokens), f"{line.label} has no {', '.join(strange)}")
    if strange:
        words = f"{', '.join(strange)}: no member of {line.label}."
    missing = [dimension for dimension in line.dimensions if dimension not in dict(members)]
    if missing and members:
        words = f"{words} Of all of {', '.join(missing)}.".strip()
    return _placed(source, series, table, model, line, members, words)


def _members(model: Model, line: Line, tokens: Sequence[str]) -> tuple[tuple[tuple[str, str], ...], list[str]]:
    found: dict[str, str] = {}
    strange = []
    for token in tokens:
        for dimension in model.dimensions_of(line):
            member = next((m for m in dimension.members if _plain(m) == _plain(token)), None)
            if member is not None and dimension.name not in found:
                found[dimension.name] = member
                break
        else:
            if _plain(token) not in NAMELESS:
                strange.append(token)
    return tuple((name, found[name]) for name in line.dimensions if name in found), strange


def _placed(
    source: str,
    series: Series,
    table: HistoryTable,
    model: Model,
    line: Line,
    members: tuple[tuple[str, str], ...],
    words: str,
) -> Placed:
    history = _history(series, table, source, line.name, members)
    if line.unit.startswith("%"):
        history, told = _as_shares(history)
        words = f"{words} {told}".strip()
    return _compared(source, history, line, model, words)


def _as_shares(history: History) -> tuple[History, str]:
    """Per cents as shares, as they are typed into a sheet; what never exceeds 1 is taken for shares already."""
    known = [abs(value) for value in history.values if value == value]
    if max(known, default=0.0) <= 1:
        return history, "Taken as shares: 0.04 is 4 %."
    doubled = {month: tuple(value / 100 for value in came) for month, came in history.doubled.items()}
    values = tuple(NOT_GIVEN if value != value else value / 100 for value in history.values)
    return replace(history, values=values, doubled=doubled), "Taken as per cent."


def _of_its_own(source: str, series: Series, table: HistoryTable, model: Model, label: str, words: str) -> Placed:
    name = re.sub(r"\W+", "_", label.casefold()).strip("_") or "series"
    name = f"n_{name}" if name[0].isdecimal() else name
    known = next(
        (each for each in model.histories if each.label == label and each.line not in model.line_by_name), None
    )
    if known is not None:
        name = known.line
    elif name in model.line_by_name:
        name = f"{name}_history"
    history = replace(_history(series, table, source, name, ()), label=label)
    return _compared(source, history, None, model, words)


def _history(
    series: Series, table: HistoryTable, source: str, line: str, members: tuple[tuple[str, str], ...]
) -> History:
    values = tuple(NOT_GIVEN if value != value else float(value) for value in series.values)
    doubled: Mapping[Month, tuple[float, ...]] = table.doubled.get(source, {})
    return History(line, series.start, values, members, series.per_year, doubled=dict(doubled))


def _compared(source: str, history: History, line: Line | None, model: Model, words: str) -> Placed:
    before = next((each for each in model.histories if each.name == history.name), None)
    if before is None:
        return Placed(source, history, line, False, 0, words)
    if before.per_year != history.per_year:
        return Placed(source, history, line, True, len(history.values), words)
    shift = (history.start.ordinal - before.start.ordinal) * history.per_year // 12
    changed = 0
    for place, value in enumerate(history.values):
        at = place + shift
        was = before.values[at] if 0 <= at < len(before.values) else NOT_GIVEN
        changed += not np.isnan(was) and not np.isnan(value) and was != value
    return Placed(source, history, line, True, changed, words)
