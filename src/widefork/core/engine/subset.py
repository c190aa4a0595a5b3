"""The part of a program that some changes reach: which instructions run again, and where their rows stand meanwhile.

Three things are worked out once for a set of lines and used for every batch that changes them. What runs: reached from
what changes, and needed for what is asked. In what stretches: a line changed directly is changed in the middle of a
run, behind its own instructions and before whatever reads it. Where rows stand: a wide batch of all rows would not fit
the processor's cache, so a row's slot is given to another one after its last use, as registers are in a compiler.
"""

from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass
from enum import Enum, auto

import numpy as np
from numpy.typing import NDArray

from widefork.core.engine import reach
from widefork.core.engine.operations import COLUMNS, ROW_COUNTS, VECTOR, Op
from widefork.core.engine.program import Program, Whole


@dataclass(frozen=True)
class Stretch:
    """Sections to run; then ``line`` is changed directly ("" for none).

    Parameters
    ----------
    origins : by section, the program's section it comes from; -1 for one that only keeps rows.
    """

    sections: Whole
    origins: Whole
    line: str


class Keeps(Enum):
    """What becomes of the rows of wanted lines."""

    NOTHING = auto()
    """Nothing: rows are computed where they stand."""
    COPIES = auto()
    """They are copied as soon as they are final, so that slots are used again: for few lines of many."""
    STAYING = auto()
    """Each has a slot of its own and stays there: for all lines."""


@dataclass(frozen=True)
class Subset:
    """What runs again.

    Parameters
    ----------
    code : its instructions. stretches : in order.
    reached : by row, whether it is computed anew. slots : by row, its slot in the working area, -1 without.
    slot_count : how many slots. outputs : rows of lines that are kept, in order.
    """

    code: Whole
    stretches: tuple[Stretch, ...]
    reached: NDArray[np.bool_]
    slots: Whole
    slot_count: int
    outputs: Whole


@dataclass(frozen=True)
class _Run:
    """Instructions run together, and the line changed directly behind them ("" for none)."""

    code: Whole
    kind: int
    watched: tuple[int, int]
    origin: int
    line: str = ""


def find_subset(
    program: Program,
    touched: Collection[str],
    direct: Collection[str],
    wanted: Sequence[str] | None,
    *,
    all_rows: bool = False,
    keeps: Keeps = Keeps.COPIES,
) -> Subset:
    """Return what runs again when lines are given or changed otherwise.

    Parameters
    ----------
    touched : lines given or changed otherwise than before.
    direct : calculated lines that some entry changes directly: changed again wherever they are computed again.
    wanted : lines asked for, None for all.
    all_rows : everything runs, not only what is reached.
    keeps : what becomes of the rows of wanted lines.
    """
    reached, asked, kept = _marks(program, touched, wanted, all_rows)
    active = reached[program.code[:, 1]] & asked[program.code[:, 1]]
    # A line changed directly and not computed again keeps its changed values; computed anew, it is changed anew. One
    # nobody asks for is not computed, so there is nothing to change.
    again = reached & asked
    cuts = {program.ends[name]: name for name in direct if again[program.lines[name].raw]}
    outputs = np.flatnonzero(kept & reached)
    runs = list(_runs(program, active, cuts))
    if keeps is Keeps.COPIES:
        # Rows that are given are written by nobody, so they are kept before anything runs.
        given = [row for name in touched if name not in program.ends for row in _rows(program, name)]
        runs = list(_keeping(runs, program, outputs, set(given)))
    stops = np.cumsum([0, *(len(run.code) for run in runs)])
    code = np.concatenate([np.empty((0, COLUMNS), dtype=np.int64), *(run.code for run in runs)])
    stretches: list[Stretch] = []
    sections: list[list[int]] = []
    origins: list[int] = []
    for place, run in enumerate(runs):
        sections.append([stops[place], stops[place + 1], run.kind, *run.watched])
        origins.append(run.origin)
        if run.line:
            stretches.append(Stretch(np.array(sections).reshape(-1, 5), np.array(origins), run.line))
            sections, origins = [], []
    stretches.append(Stretch(np.array(sections, dtype=np.int64).reshape(-1, 5), np.array(origins, dtype=np.int64), ""))
    slots = np.full(program.row_count, -1, dtype=np.int64)
    if keeps is Keeps.STAYING:  # in order, so that a line's rows lie together
        slots[outputs] = np.arange(len(outputs))
    for name in touched:  # given, not computed: they stand from the beginning
        if name not in program.ends or name in program.known:
            given_rows = np.array(_rows(program, name))
            slots[given_rows] = np.where(slots[given_rows] >= 0, slots[given_rows], -2)
    everything = np.concatenate([stretch.sections for stretch in stretches])
    last = np.full(program.row_count, -1, dtype=np.int64)
    reach.last_uses(code, everything, program.lists, ROW_COUNTS, last)
    for stretch in stretches:  # what is changed directly stands until then
        if stretch.line:
            found = program.lines[stretch.line]
            changed = slice(found.raw, found.raw + found.count)
            end = int(stretch.sections[-1, 1]) if len(stretch.sections) else 0
            last[changed] = np.maximum(last[changed], end)
    taken = len(outputs) if keeps is Keeps.STAYING else 0
    count = reach.give_slots(code, everything, np.minimum(last, len(code)), slots, taken)
    slots[slots == -2] = -1  # given, but read by nothing that runs: no slot was needed
    return Subset(code, tuple(stretches), reached, slots, int(count), outputs)


def _rows(program: Program, name: str) -> range:
    """Rows that are given: an assumption's, or the known months of a calculated line."""
    found = program.lines[name]
    first = program.known.get(name, found.first)
    return range(first, first + found.count)


def _marks(
    program: Program, touched: Collection[str], wanted: Sequence[str] | None, all_rows: bool
) -> tuple[NDArray[np.bool_], NDArray[np.bool_], NDArray[np.bool_]]:
    """By row: whether it is reached, whether it is asked for directly or not, and whether it is kept."""
    reached = np.full(program.row_count, all_rows)
    for name in touched:
        found = program.lines[name]
        reached[found.raw : found.raw + found.count] = True
        reached[list(_rows(program, name))] = True
    reach.reached(program.code, program.sections, program.lists, ROW_COUNTS, reached)
    asked, kept = np.ones(program.row_count, dtype=bool), np.zeros(program.row_count, dtype=bool)
    for name in program.lines if wanted is None else wanted:
        kept[program.lines[name].rows] = True
    if wanted is not None:
        asked[:] = kept
        reach.needed(program.code, program.sections, program.lists, ROW_COUNTS, asked)
    return reached, asked, kept


def _runs(program: Program, active: NDArray[np.bool_], cuts: dict[int, str]) -> Iterator[_Run]:
    """The active instructions by section; a vector is cut where a line is changed directly behind it."""
    for origin, (start, stop, kind, first, last) in enumerate(program.sections.tolist()):
        ends = sorted(end for end in cuts if start < end <= stop) if kind == VECTOR else []
        for begin, end in zip([start, *ends], [*ends, stop], strict=True):
            code = program.code[begin:end][active[begin:end]]
            if len(code) or end in ends:
                yield _Run(code, kind, (first, last), origin, cuts[end] if end in ends else "")


def _keeping(runs: Sequence[_Run], program: Program, outputs: Whole, given: set[int]) -> Iterator[_Run]:
    """The same with instructions that keep each output as soon as it is final."""
    place = {int(row): k for k, row in enumerate(outputs.tolist())}

    def keep(rows: Sequence[int]) -> Whole:
        return np.array([[Op.KEEP, row, row, row, row, place[row], 0, -1] for row in rows], dtype=np.int64)

    waiting = [row for row in place if row in given]
    for run in runs:
        if waiting:
            yield _Run(keep(waiting), VECTOR, (0, 0), -1)
        waiting = []
        written = [row for row in run.code[:, 1].tolist() if row in place]
        if run.line:  # final only once it was changed
            found = program.lines[run.line]
            waiting = [row for row in written if found.first <= row < found.first + found.count]
        if run.kind == VECTOR:  # each row is final behind its instruction, and its slot may be given on at once
            at = [k + 1 for k, row in enumerate(run.code[:, 1].tolist()) if row in place and row not in waiting]
            now = [row for row in written if row not in waiting]
            code = np.insert(run.code, at, keep(now), axis=0) if now else run.code
            yield _Run(code, run.kind, run.watched, run.origin, run.line)
        else:  # month by month, rows are final only when the last month is through
            yield run
            waiting = list(dict.fromkeys(written))
    if waiting:
        yield _Run(keep(waiting), VECTOR, (0, 0), -1)
