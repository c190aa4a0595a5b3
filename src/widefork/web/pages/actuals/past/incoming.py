"""A table of history on its way in: what was pasted or loaded, which series are in it, and where each goes."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from werkzeug.datastructures import FileStorage

from widefork.core.errors import InvalidValue, WideforkError
from widefork.core.graph.model import Model
from widefork.core.history import Doubled, History
from widefork.files.history import Placed, place_choices, place_label, place_table, read_history
from widefork.files.tables import Rows, read_table
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.shared import formats

MOST_ROWS, MOST_COLUMNS, MOST_CELLS = 60_000, 1500, 600_000
Form = Mapping[str, str]


@dataclass(frozen=True, kw_only=True)
class SeriesRow:
    """A series of the table: where it goes as typed, what is in it, and what a person should know."""

    source: str
    place: str
    words: str
    span: str
    known: int
    unknown: int
    doubled: int
    latest: str
    changed: int
    is_new: bool
    is_out: bool


@dataclass(frozen=True, kw_only=True)
class IncomingPage:
    """The table as it is read; ``fault`` is why it cannot be. ``lines`` are choices for what all of it is about."""

    rows: tuple[SeriesRow, ...]
    notes: tuple[str, ...]
    fault: str
    choices: tuple[str, ...]
    lines: tuple[str, ...]
    line: str
    taken: int
    changed: int


def read_incoming(form: Form, file: FileStorage | None) -> dict[str, Any]:
    """Return what was pasted or loaded as it is kept.

    Raises
    ------
    InvalidValue: nothing came, no table, or more than can be looked through at once.
    """
    if file is not None and file.filename:
        rows = read_table(file.filename, file.read(), MOST_ROWS, MOST_COLUMNS)
    elif form.get("text", "").strip():
        rows = read_table("pasted.csv", form["text"].encode(), MOST_ROWS, MOST_COLUMNS)
    else:
        raise InvalidValue("Nothing came. Paste rows of months and numbers, or choose a .csv, .xlsx or .ods file.")
    cells = sum(len(row) for row in rows)
    if cells > MOST_CELLS:
        raise InvalidValue(f"These are {cells:,} cells; up to {MOST_CELLS:,} are taken at once. Divide the table.")
    read_history(rows, Doubled.SUM)  # refused here where nothing can be read of it
    return {"rows": [list(row) for row in rows], "line": "", "places": {}}


def placed_incoming(document: Mapping[str, Any], form: Form, sources: list[str], places: list[str]) -> dict[str, Any]:
    """Return what is kept with where a person said series go."""
    line = " ".join(form.get("line", "").split())
    told = {} if line != document["line"] else dict(zip(sources, places, strict=False))
    kept = {} if line != document["line"] else document["places"]
    return {**document, "line": line, "places": {**kept, **told}}


def _placed(document: Mapping[str, Any], model: Model) -> tuple[list[Placed], tuple[str, ...], list[str]]:
    rows: Rows = tuple(tuple(row) for row in document["rows"])
    table = read_history(rows, Doubled.SUM)
    placed = place_table(table, model, document["line"], document["places"])
    left_out = [source for source in table.series if source not in {each.source for each in placed}]
    return placed, table.notes, left_out


def build_incoming(document: Mapping[str, Any], model: Model) -> IncomingPage:
    """Return the table as it would be taken in."""
    lines = tuple(line.label for line in model.lines if not line.is_generated)
    choices = tuple(place_choices(model))
    try:
        placed, notes, left_out = _placed(document, model)
    except WideforkError as fault:
        return IncomingPage(rows=(), notes=(), fault=str(fault), choices=choices, lines=lines,
                            line=document["line"], taken=0, changed=0)  # fmt: skip
    rows = [_row(each, document) for each in placed]
    rows += [
        SeriesRow(source=source, place="", words="left out", span="", known=0, unknown=0, doubled=0, latest="",
                  changed=0, is_new=False, is_out=True)
        for source in left_out
    ]  # fmt: skip
    return IncomingPage(
        rows=tuple(rows), notes=notes, fault="", choices=choices, lines=lines, line=document["line"],
        taken=len(placed), changed=sum(each.changed > 0 for each in placed),
    )  # fmt: skip


def _row(placed: Placed, document: Mapping[str, Any]) -> SeriesRow:
    history, line = placed.history, placed.line
    known = [value for value in history.values if value == value]
    unit = line.unit if line is not None else ""
    label = place_label(line, history.members) if line is not None else history.label
    words = placed.words
    if line is None:
        words = f"of its own: {words}" if words else "of its own: no line of the plan"
    span = f"{history.start.label} to {history.last.label}"
    return SeriesRow(
        source=placed.source, place=document["places"].get(placed.source, label), words=words, span=span,
        known=len(known), unknown=len(history.values) - len(known), doubled=len(history.doubled),
        latest=formats.cell(known[-1], unit) if known else "–", changed=placed.changed, is_new=not placed.is_known,
        is_out=False,
    )  # fmt: skip


def taking(document: Mapping[str, Any], model: Model) -> tuple[Apply, list[History]]:
    """Return the edit that takes the table in, and what it takes.

    Raises
    ------
    InvalidValue: nothing left to take, or several series in one place.
    """
    placed, _, _ = _placed(document, model)
    taken = [each.history for each in placed if any(value == value for value in each.history.values)]
    if not taken:
        raise InvalidValue("Every series is left out, or empty; nothing was taken in.")
    names = [history.name for history in taken]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        sources = ", ".join(each.source for each in placed if each.history.name == twice)
        raise InvalidValue(f"{sources} go to one place, {twice}. Give each its own, or leave all but one out.")
    what = f"{len(taken)} series" if len(taken) > 1 else twice or names[0]
    return edits.take_histories(taken, f"History taken in: {what}"), taken
