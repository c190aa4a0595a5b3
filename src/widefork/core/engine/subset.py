"""The part of a program that some changes reach: which instructions run again, and where their rows stand meanwhile."""

from collections.abc import Collection, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.core.engine import kernel
from widefork.core.engine.operations import ROW_COUNTS, VECTOR
from widefork.core.engine.program import Program, Whole


@dataclass(frozen=True)
class Stretch:
    """Sections to run; then ``line`` is changed directly ("" for none)."""

    sections: Whole
    origins: Whole
    line: str


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


def find_subset(
    program: Program,
    touched: Collection[str],
    direct: Collection[str],
    wanted: Sequence[str] | None,
    all_rows: bool,
) -> Subset:
    """Return what runs again when lines are given or changed otherwise.

    Parameters
    ----------
    touched : lines given or changed otherwise than before.
    direct : calculated lines that some entry changes directly: changed again wherever they are computed again.
    wanted : lines asked for, None for all.
    all_rows : everything runs, not only what is reached.
    """
    marks = np.full(program.row_count, all_rows)
    for name in touched:
        found = program.lines[name]
        marks[found.raw : found.raw + found.count] = True
        if found.raw == found.first or name in program.known:
            marks[found.rows] = True
        if name in program.known:
            marks[program.known[name] : program.known[name] + found.count] = True
    kernel.reached(program.code, program.sections, program.lists, ROW_COUNTS, marks)
    asked = np.ones(program.row_count, dtype=bool)
    if wanted is not None:
        asked[:] = False
        for name in wanted:
            asked[program.lines[name].rows] = True
        kept = asked.copy()
        kernel.needed(program.code, program.sections, program.lists, ROW_COUNTS, asked)
    else:
        kept = np.zeros(program.row_count, dtype=bool)
        for found in program.lines.values():
            kept[found.rows] = True
    active = marks[program.code[:, 1]] & asked[program.code[:, 1]]
    before = np.concatenate([[0], np.cumsum(active)])
    code = np.ascontiguousarray(program.code[active])
    sections = program.sections.copy()
    sections[:, 0], sections[:, 1] = before[sections[:, 0]], before[sections[:, 1]]
    origins = np.flatnonzero(sections[:, 1] > sections[:, 0])
    sections = sections[origins]
    cuts = sorted((int(before[program.ends[name]]), name) for name in direct if marks[program.lines[name].raw])
    stretches = _cut(sections, origins, cuts)
    outputs = np.flatnonzero(kept & marks)
    slots = np.full(program.row_count, -1, dtype=np.int64)
    for name in touched:  # given, not computed: they stand from the beginning
        found = program.lines[name]
        if name not in program.ends:
            slots[found.rows] = -2
    last = np.full(program.row_count, -1, dtype=np.int64)
    kernel.last_uses(code, sections, program.lists, ROW_COUNTS, last)
    for end, name in cuts:  # changed directly behind the instruction that computes them
        found = program.lines[name]
        last[found.raw : found.raw + found.count] = np.maximum(last[found.raw : found.raw + found.count], end)
    held = np.zeros(program.row_count, dtype=bool)
    held[outputs] = True
    last = np.minimum(last, len(code))
    count = kernel.give_slots(code, sections, held, last, slots)
    slots[slots == -2] = -1
    return Subset(code, stretches, marks, slots, int(count), outputs)


def _cut(sections: Whole, origins: Whole, cuts: Sequence[tuple[int, str]]) -> tuple[Stretch, ...]:
    """Sections in stretches that end where a line is changed directly; such a place always lies in a vector."""
    stretches: list[Stretch] = []
    rest, places = sections.copy(), origins.copy()
    for end, name in cuts:
        before = rest[rest[:, 0] < end].copy()
        after = rest[rest[:, 1] > end].copy()
        if len(before) and before[-1, 1] > end:
            assert before[-1, 2] == VECTOR
            before[-1, 1] = end
        stretches.append(Stretch(before, places[: len(before)], name))
        places = places[len(places) - len(after) :]
        if len(after) and after[0, 0] < end:
            after[0, 0] = end
        rest = after
    return (*stretches, Stretch(rest, places, ""))
