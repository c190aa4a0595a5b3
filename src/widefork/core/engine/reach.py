"""What some changes reach in a program, and where its rows stand meanwhile: compiled walks over the instructions."""

import numpy as np
from numba import njit

from widefork.core.engine.operations import VECTOR, Op, refuse_stale

refuse_stale("9494db8ca5da")

IS_VECTOR, WHOLE_PARTS = int(VECTOR), int(Op.WHOLE_PARTS)


@njit(cache=True, nogil=True)
def reached(code, sections, lists, row_counts, marks):  # pragma: no cover
    """Mark every row that is computed from a marked one; a month-by-month section is marked as a whole."""
    for s in range(sections.shape[0]):
        start, stop, kind = sections[s, 0], sections[s, 1], sections[s, 2]
        touched = False
        for i in range(start, stop):
            hit = marks[code[i, 1]]
            for k in range(row_counts[code[i, 0]]):
                hit = hit or marks[code[i, 2 + k]]
            if code[i, 0] >= WHOLE_PARTS:
                for k in range(code[i, 5]):
                    hit = hit or marks[lists[code[i, 2] + k]]
            touched = touched or hit
            if hit and kind == IS_VECTOR:
                mark_targets(code[i], marks)
        if touched and kind != IS_VECTOR:
            for i in range(start, stop):
                mark_targets(code[i], marks)


@njit(cache=True, nogil=True)
def mark_targets(inst, marks):  # pragma: no cover
    """Mark the rows an instruction writes."""
    count = inst[5] if inst[0] >= WHOLE_PARTS else 1
    marks[inst[1] : inst[1] + count] = True


@njit(cache=True, nogil=True)
def needed(code, sections, lists, row_counts, wanted):  # pragma: no cover
    """Mark every row a wanted one is computed from; a month-by-month section is wanted as a whole."""
    for s in range(sections.shape[0] - 1, -1, -1):
        start, stop, kind = sections[s, 0], sections[s, 1], sections[s, 2]
        touched = False
        if kind != IS_VECTOR:
            for i in range(start, stop):
                count = code[i, 5] if code[i, 0] >= WHOLE_PARTS else 1
                touched = touched or wanted[code[i, 1] : code[i, 1] + count].any()
        for i in range(stop - 1, start - 1, -1):
            count = code[i, 5] if code[i, 0] >= WHOLE_PARTS else 1
            if touched or (kind == IS_VECTOR and wanted[code[i, 1] : code[i, 1] + count].any()):
                wanted[code[i, 1] : code[i, 1] + count] = True
                for k in range(row_counts[code[i, 0]]):
                    wanted[code[i, 2 + k]] = True
                if code[i, 0] >= WHOLE_PARTS:
                    for k in range(code[i, 5]):
                        wanted[lists[code[i, 2] + k]] = True


@njit(cache=True, nogil=True)
def last_uses(code, sections, lists, row_counts, last):  # pragma: no cover
    """Note behind which instruction each row is read no more; rows of a month-by-month section live until its end."""
    for s in range(sections.shape[0]):
        start, stop, kind = sections[s, 0], sections[s, 1], sections[s, 2]
        for i in range(start, stop):
            until = i if kind == IS_VECTOR else stop - 1
            count = code[i, 5] if code[i, 0] >= WHOLE_PARTS else 1
            for k in range(count):
                last[code[i, 1] + k] = max(last[code[i, 1] + k], until)
            for k in range(row_counts[code[i, 0]]):
                last[code[i, 2 + k]] = max(last[code[i, 2 + k]], until)
            if code[i, 0] >= WHOLE_PARTS:
                for k in range(count):
                    last[lists[code[i, 2] + k]] = max(last[lists[code[i, 2] + k]], until)


@njit(cache=True, nogil=True)
def give_slots(code, sections, last, slots, taken):  # pragma: no cover
    """Give rows slots, reusing those of rows that are read no more; return how many. Slots below ``taken`` stay."""
    free = np.empty(slots.shape[0], dtype=np.int64)
    free_count, used = 0, taken
    expiring = np.full(code.shape[0] + 1, -1, dtype=np.int64)
    following = np.full(slots.shape[0], -1, dtype=np.int64)
    for row in range(slots.shape[0]):
        if slots[row] == -2:
            slots[row] = used
            used += 1
            if last[row] >= 0:
                following[row] = expiring[last[row]]
                expiring[last[row]] = row
    for s in range(sections.shape[0]):
        start, stop, kind = sections[s, 0], sections[s, 1], sections[s, 2]
        for step in range(2 if kind != IS_VECTOR else 1):
            for i in range(start, stop):
                if kind == IS_VECTOR or step == 0:
                    count = code[i, 5] if code[i, 0] >= WHOLE_PARTS else 1
                    for k in range(count):
                        row = code[i, 1] + k
                        if slots[row] == -1:
                            if free_count:
                                free_count -= 1
                                slots[row] = free[free_count]
                            else:
                                slots[row] = used
                                used += 1
                            following[row] = expiring[last[row]]
                            expiring[last[row]] = row
                if kind == IS_VECTOR or step == 1:
                    row = expiring[i]
                    while row >= 0:
                        free[free_count] = slots[row]
                        free_count += 1
                        row = following[row]
    return used
