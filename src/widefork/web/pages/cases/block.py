"""A block that arrives side by side: its headings matched, its cells read, and what cannot be read named."""

import json
from collections.abc import Container, Sequence
from dataclasses import dataclass, field

import numpy as np

from widefork.core.analysis.side_by_side import Given
from widefork.core.axes import Month, Period
from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line, MemberKey
from widefork.web.pages.cases.reading import Reading
from widefork.web.pages.cases.side import why_shut
from widefork.web.shared import formats
from widefork.web.shared.blocks import Block, bare_number, decimal_mark, read_block, read_pasted

MOST_NAMED = 3
MOST_LABELS = 2


class PartlyRead(InvalidValue):
    """Some of the cells cannot be taken; the rest could."""

    offers = (("skip", "Leave those out, and take the rest"),)


@dataclass(frozen=True)
class Column:
    """A period of a case, as the page shows it."""

    case: str
    first: Month
    last: Month
    label: str


@dataclass(frozen=True)
class Grid:
    """What the page shows, and where in it the block begins."""

    rows: tuple[tuple[str, MemberKey], ...]
    columns: tuple[Column, ...]
    row: int
    column: int


@dataclass
class Read:
    """Values as they are wanted, how many say what is there already, and what could not be taken."""

    givens: list[Given] = field(default_factory=list)
    same: int = 0
    refused: list[str] = field(default_factory=list)


def read_grid(text: str) -> Grid:
    """Return what the page says it shows; raise InvalidValue for anything else."""
    try:
        given = json.loads(text)
        rows = tuple((str(line), tuple(str(member) for member in members)) for line, members in given["rows"])
        columns = tuple(
            Column(str(case), Month.parse(str(first)), Month.parse(str(last)), str(label))
            for case, first, last, label in given["columns"]
        )
        grid = Grid(rows, columns, int(given["row"]), int(given["column"]))
    except (ValueError, TypeError, KeyError, RecursionError):
        raise InvalidValue("The page sent something that is no edit. Reload it and try again.") from None
    if not (0 <= grid.row < len(rows) and 0 <= grid.column < len(columns)):
        raise InvalidValue("The page sent something that is no edit. Reload it and try again.")
    return grid


def read_values(reading: Reading, grid: Grid, text: str, mark: str, skips: bool, holds: bool) -> Read:
    """Return what a block says, from the chosen cell on or where its headings say.

    Parameters
    ----------
    mark : the decimal mark; empty to find out. skips : leave out what cannot be taken.
    holds : take values that stand there already.

    Raises
    ------
    PartlyRead: some cells cannot be taken. TwoReadings: commas that could be decimal marks.
    InvalidValue: a block that does not fit, a heading that is no case, or nothing that would change.
    UnknownName: a line, member or case that is not there.
    """
    block = read_block(text)
    if len(block) == len(block[0]) == 1:
        read = Read()
        _typed(reading, grid, block[0][0], read, holds)
    else:
        read = _pasted(reading, grid, block, mark, holds)
    if read.refused and not skips:
        shown = "; ".join(dict.fromkeys(read.refused[:MOST_NAMED]))
        more = f"; and {len(read.refused) - MOST_NAMED} more" if len(read.refused) > MOST_NAMED else ""
        raise PartlyRead(f"{shown}{more}.") if read.givens else InvalidValue(f"{shown}{more}.")
    if not read.givens:
        raise InvalidValue("That changes nothing: the cells say so already.")
    return read


def _typed(reading: Reading, grid: Grid, text: str, read: Read, holds: bool) -> None:
    (name, members), column = grid.rows[grid.row], grid.columns[grid.column]
    line = reading.model.line(name)
    typed = formats.read_typed(text, line.unit)
    now = _now(reading, line, members, column)
    match typed.operation:
        case Operation.SET:
            wanted = typed.amount
        case Operation.ADD:
            wanted = now + typed.amount
        case _:
            wanted = now * typed.amount
    _take(reading, line, members, column, wanted, read, holds)


def _pasted(reading: Reading, grid: Grid, block: Block, mark: str, holds: bool) -> Read:
    read = Read()
    timeline = reading.model.timeline
    heads = _headings(block, {str(year) for year in range(timeline.start.year, timeline.end.year + 1)})
    labels = _labels(block, heads)
    body = tuple(row[labels:] for row in block[heads:])
    mark = mark if mark in (".", ",") else decimal_mark(body)
    columns = _columns(reading, grid, [row[labels:] for row in block[:heads]], len(body[0]))
    rows = _rows(reading, grid, [row[:labels] for row in block[heads:]], read)
    for row, cells in zip(rows, body, strict=True):
        if row is None:
            continue
        line, members = reading.model.line(row[0]), row[1]
        for column, cell in zip(columns, cells, strict=True):
            try:
                value = read_pasted(cell, line.unit, mark)
            except InvalidValue as fault:
                read.refused.append(f"{_words(reading, line, members, column)}: {fault.sentence}".rstrip("."))
                continue
            if value is not None:
                _take(reading, line, members, column, value, read, holds, is_pasted=True)
    return read


def _is_number(cell: str) -> bool:
    body = bare_number(cell)
    return any(character.isdigit() for character in body) and not any(character.isalpha() for character in body)


def _headings(block: Block, years: Container[str]) -> int:
    """How many rows above hold no number at all, or nothing but years of the plan."""
    heads = 0
    while heads < min(MOST_LABELS, len(block) - 1):
        numbers = [cell for cell in block[heads] if _is_number(cell)]
        if any(cell not in years for cell in numbers):
            break
        heads += 1
    return heads


def _labels(block: Block, heads: int) -> int:
    """How many columns at the left hold no number below the headings."""
    labels = 0
    while labels < min(MOST_LABELS, len(block[0]) - 1):
        cells = [row[labels] for row in block[heads:]]
        if any(_is_number(cell) for cell in cells) or not any(cells):
            break
        labels += 1
    return labels


def _columns(reading: Reading, grid: Grid, heads: Sequence[Sequence[str]], width: int) -> list[Column]:
    """Where each column of a block goes: by its headings where it has some, else from the chosen one on."""
    names = {case.label.casefold(): case.name for case in reading.model.cases}
    names |= {case.name.casefold(): case.name for case in reading.model.cases}
    shown = list(dict.fromkeys(column.case for column in grid.columns))
    periods = list(dict.fromkeys((column.first, column.last, column.label) for column in grid.columns))
    labels = {label.casefold(): place for place, (_, _, label) in enumerate(periods)}
    if all(first.plus(12) > last for first, last, _ in periods) and len(periods) == len({p[1].year for p in periods}):
        labels |= {str(last.year): place for place, (_, last, _) in enumerate(periods)}  # 2027 for FY27
    cases: list[str] | None = None
    at: list[int] | None = None
    for head in heads:
        filled = _filled(head)
        if any(cell.casefold() in labels for cell in head):
            at = [_period(cell, labels) for cell in head]
        elif any(filled):
            cases = [_case(cell, names, shown, reading) for cell in filled]
    if cases is None and at is None:
        if grid.column + width > len(grid.columns):
            raise InvalidValue(
                f"The block has {width} columns, and from here on there are {len(grid.columns) - grid.column}. "
                "Begin further left, show more cases, or paste it with their names above."
            )
        return list(grid.columns[grid.column : grid.column + width])
    if cases is None:
        cases = _cases_by_turn(at or [], shown, grid.columns[grid.column].case)
    if at is None:
        at = [cases[:place].count(case) for place, case in enumerate(cases)]
        if max(at) >= len(periods):
            raise InvalidValue(
                f"The block has {max(at) + 1} columns of one case, and {len(periods)} are shown. "
                "Show other periods, or paste fewer."
            )
    return [Column(case, *periods[place]) for case, place in zip(cases, at, strict=True)]


def _filled(head: Sequence[str]) -> list[str]:
    """A heading that stands over several columns holds for all of them."""
    found: list[str] = []
    for cell in head:
        found.append(cell or (found[-1] if found else ""))
    return found


def _case(cell: str, names: dict[str, str], shown: Sequence[str], reading: Reading) -> str:
    name = names.get(cell.casefold())
    if name not in shown:
        known = ", ".join(reading.model.case(one).label for one in shown)
        raise InvalidValue(
            f"“{cell}” above the block is none of the cases shown: {known}. Rename it, or show that case."
        )
    return str(name)


def _period(cell: str, labels: dict[str, int]) -> int:
    if cell.casefold() not in labels:
        raise InvalidValue(f"“{cell}” above the block is none of the periods shown.")
    return labels[cell.casefold()]


def _cases_by_turn(at: Sequence[int], shown: Sequence[str], first: str) -> list[str]:
    """Whose columns they are where only periods stand above: the next case begins where the periods begin anew."""
    turn, found = shown.index(first), []
    for place, period in enumerate(at):
        turn += 1 if place and period <= at[place - 1] else 0
        if turn >= len(shown):
            raise InvalidValue(
                f"The block holds more cases than are shown from here on; {len(shown)} are shown in all."
            )
        found.append(shown[turn])
    return found


def _rows(
    reading: Reading, grid: Grid, labels: Sequence[Sequence[str]], read: Read
) -> list[tuple[str, MemberKey] | None]:
    """Where each row of a block goes: by its labels where it has some, else from the chosen one down."""
    if not labels[0]:
        if grid.row + len(labels) > len(grid.rows):
            raise InvalidValue(
                f"The block has {len(labels)} rows, and from here down there are {len(grid.rows) - grid.row}. "
                "Begin higher up, or show more lines."
            )
        return list(grid.rows[grid.row : grid.row + len(labels)])
    by_line = {reading.model.line(name).label.casefold(): name for name, _ in grid.rows}
    found: list[tuple[str, MemberKey] | None] = []
    line = grid.rows[grid.row][0]
    for texts in labels:
        words = [part.strip().casefold() for text in texts for part in text.split(",") if part.strip()]
        members: tuple[str, ...] = ()
        for word in words:
            if word in by_line:
                line, members = by_line[word], ()
            else:
                members = (*members, *(part.strip() for part in word.split("/")))
        row = next(
            (row for row in grid.rows if row[0] == line and tuple(m.casefold() for m in row[1]) == members), None
        )
        if row is None:
            said = ", ".join(text for text in texts if text)
            read.refused.append(f"“{said}” at the left of the block is no line or member shown")
        found.append(row)
    return found


def _now(reading: Reading, line: Line, members: MemberKey, column: Column) -> float:
    period = Period("", "", column.first, column.last)
    place = reading.view.snapshot.place(reading.model.case(column.case).name)
    return float(roll_up(reading.view.snapshot.results, line.name, [period], members)[0, place])


def _take(
    reading: Reading,
    line: Line,
    members: MemberKey,
    column: Column,
    wanted: float,
    read: Read,
    holds: bool,
    is_pasted: bool = False,
) -> None:
    """One value: taken, there already, or refused with its reason."""
    now = _now(reading, line, members, column)
    is_same = bool(np.isclose(now, wanted, rtol=1e-9, atol=1e-9))
    if is_pasted:  # what was copied from here, as it is shown, may be pasted back
        is_same = is_same or formats.line_cell(now, line) == formats.line_cell(wanted, line)
    if is_same and not holds:
        read.same += 1
        return
    why = why_not(reading, line, members, column)
    if why:
        read.refused.append(f"{_words(reading, line, members, column)}: {why}".rstrip("."))
        return
    read.givens.append(Given(column.case, line.name, members, column.first, column.last, wanted))


def why_not(reading: Reading, line: Line, members: MemberKey, column: Column) -> str:
    """Return why a cell takes no value; empty where it does."""
    model = reading.model
    if members not in model.keys_of(line):
        return "a total; give its members"
    if model.timeline.is_actual(column.last):
        return "history, which stays as it is"
    if model.case(column.case).parent is None and not line.is_assumption:
        return "calculated; a case below can adjust it"
    return why_shut(reading, line)


def _words(reading: Reading, line: Line, members: MemberKey, column: Column) -> str:
    where = ", ".join((line.label, *members))
    return f"{where}, {reading.model.case(column.case).label}, {column.label}"
