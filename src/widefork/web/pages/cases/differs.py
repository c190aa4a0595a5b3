"""What differs: lines and moves down, cases across, each cell what the case does there, in words."""

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime

from widefork.core.changes import Case, Change, Layer, Switch
from widefork.core.lines import Line
from widefork.web.pages.cases.reading import Reading
from widefork.web.pages.cases.words import switch_words
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.wording import change_parts

MOVES = "Moves"
TERMS = "Terms and statements"


@dataclass(frozen=True, kw_only=True)
class Entry:
    """One step in a cell. ``kind`` is own, inherited or dropped; ``idle`` says why it does nothing."""

    what: str
    when: str
    kind: str
    source: str
    idle: str
    note: str
    author: str


@dataclass(frozen=True, kw_only=True)
class DifferCell:
    """What a case does to a line, or with a move."""

    case: str
    style: int
    entries: tuple[Entry, ...]
    url: str
    is_open: bool


@dataclass(frozen=True, kw_only=True)
class DifferRow:
    """A line or a move over all cases. ``key`` is the line's name, or ``move:`` and the move's."""

    key: str
    label: str
    unit: str
    given: str
    url: str
    cells: tuple[DifferCell, ...]
    is_open: bool


@dataclass(frozen=True, kw_only=True)
class Differs:
    """The whole table. Choices are (value, label)."""

    columns: tuple[tuple[str, str, int, bool], ...]
    groups: tuple[tuple[str, tuple[DifferRow, ...]], ...]
    words: str
    idle_words: str
    sections: tuple[str, ...]
    people: tuple[str, ...]
    section: str
    who: str
    of: str
    only: bool
    is_filtered: bool
    has_root: bool


class _Table:
    """Collects the cells of the table."""

    def __init__(self, reading: Reading, opened: str) -> None:
        self.reading, self.opened = reading, opened
        self.stacks = {case.name: reading.family.layers_of(case.name) for case in reading.model.cases}
        self.dropped = {case.name: reading.family.dropped_by(case.name) for case in reading.model.cases}

    def entries(self, case: Case, key: str) -> tuple[Entry, ...]:
        """What a case does to a line or with a move, inherited first."""
        idle = self.reading.idle(case.name)
        found = [
            self._entry(case, layer, idle[place].sentence if place in idle else "")
            for place, layer in enumerate(self.stacks[case.name])
            if key_of(layer) == key
        ]
        return (
            *found,
            *(self._entry(case, layer, "", "dropped") for layer in self.dropped[case.name] if key_of(layer) == key),
        )

    def _entry(self, case: Case, layer: Layer, idle: str, kind: str = "") -> Entry:
        what, when = entry_words(self.reading, layer)
        author = self.reading.author(layer)
        source = self.reading.family.case(layer.case).label
        return Entry(
            what=what,
            when=when,
            kind=kind or ("own" if layer.case == case.name else "inherited"),
            source=source,
            idle=idle,
            note=layer.step.note if isinstance(layer.step, Change) else "",
            author=f"{author.person}, {day(author.made_at)}" if author is not None else "",
        )

    def row(self, key: str, label: str, unit: str, given: str, url: str, cases: Sequence[Case]) -> DifferRow:
        """A row of the table."""
        address, cells = self.reading.view.address, []
        for case in cases:
            at = f"{case.name}/{key}"
            cells.append(
                DifferCell(
                    case=case.name,
                    style=style_of(self.reading.view.snapshot.place(case.name)),
                    entries=self.entries(case, key),
                    url=address.url(open="" if at == self.opened else at),
                    is_open=at == self.opened,
                )
            )
        opened = any(cell.is_open for cell in cells)
        return DifferRow(key=key, label=label, unit=unit, given=given, url=url, cells=tuple(cells), is_open=opened)


def key_of(layer: Layer) -> str:
    """Return the row a step belongs to."""
    return f"move:{layer.move}" if isinstance(layer.step, Switch) else layer.step.line


def entry_words(reading: Reading, layer: Layer) -> tuple[str, str]:
    """Return what a cell says of a step, whose line or move its row names."""
    if isinstance(layer.step, Switch):
        return "on", switch_words(layer.step, reading.model.move_by_name[layer.step.move])
    return change_parts(layer.step, reading.model)


def day(made_at: str) -> str:
    """Return a day of the log as people write it."""
    found = datetime.fromisoformat(made_at)
    return f"{found.day} {found:%b %Y}"


def given_words(line: Line) -> str:
    """Return what the root gives a line: its rule in words."""
    if line.formula is not None:
        return "calculated"
    if line.dimensions and list(line.rules) != [()]:
        return f"by {', '.join(line.dimensions)}"
    rule = next(iter(line.rules.values()), None)
    return rule.words(lambda value: formats.amount(value, line.unit)) if rule is not None else ""


def build_differs(reading: Reading, opened: str, section: str, who: str, of: str, only: bool) -> Differs:
    """Return the table, filtered by section, by who wrote, by case, and to what does nothing."""
    model, address = reading.model, reading.view.address
    table = _Table(reading, opened)
    chosen = [case for case in model.cases if of in ("", case.name) or case.parent is None] if of else list(model.cases)
    touched = {key_of(layer) for case in model.cases for layer in (*table.stacks[case.name], *table.dropped[case.name])}
    opened_key = opened.partition("/")[2]
    groups: dict[str, list[DifferRow]] = {}
    own = {one.name: one.label for one in model.sections}
    stored = {line.name for line in reading.view.snapshot.stored.model.lines}
    for line in model.lines:
        if line.name in touched or line.name == opened_key:
            group = own[line.section] if line.name in stored else TERMS
            url = address.url("drivers", line=line.name)
            row = table.row(line.name, line.label, line.unit, given_words(line), url, chosen)
            groups.setdefault(group, []).append(row)
    for move in model.moves:
        key = f"move:{move.name}"
        if key in touched or key == opened_key:
            what = f"{len(move.changes)} change{'' if len(move.changes) == 1 else 's'}"
            groups.setdefault(MOVES, []).append(table.row(key, move.label, what, "", "", chosen))
    everything = [cell for rows in groups.values() for row in rows for cell in row.cells]
    idle = sum(bool(entry.idle) and entry.kind == "own" for cell in everything for entry in cell.entries)
    people = sorted({e.author.partition(",")[0] for cell in everything for e in cell.entries if e.author})
    shown = {
        name: kept for name, rows in groups.items() if section in ("", name)
        for kept in (tuple(row for row in rows if row.is_open or _is_kept(row, who, of, only)),) if kept
    }  # fmt: skip
    lines = sum(len(rows) for name, rows in shown.items() if name != MOVES)
    moves = len(shown.get(MOVES, ()))
    return Differs(
        columns=tuple(
            (case.name, case.label, style_of(reading.view.snapshot.place(case.name)), case.name == address.case)
            for case in chosen
        ),
        groups=tuple(shown.items()),
        words=f"{_plural(lines, 'line')}, {_plural(moves, 'move')}",
        idle_words=f"{idle} {'does' if idle == 1 else 'do'} nothing" if idle else "",
        sections=tuple(groups),
        people=tuple(people),
        section=section,
        who=who,
        of=of,
        only=only,
        is_filtered=bool(section or who or of or only),
        has_root=any(row.cells[0].entries or row.cells[0].is_open for rows in shown.values() for row in rows),
    )


def _is_kept(row: DifferRow, who: str, of: str, only: bool) -> bool:
    entries = [entry for cell in row.cells if of in ("", cell.case) for entry in cell.entries]
    if who:
        entries = [entry for entry in entries if entry.author.partition(",")[0] == who and entry.kind == "own"]
    if only:
        entries = [entry for entry in entries if entry.idle and entry.kind == "own"]
    return bool(entries)


def _plural(count: int, word: str) -> str:
    return f"{count} {word}{'' if count == 1 else 's'}"
