"""Runs parts of a program in a buffer of its own: gives what is given, runs the kernel, applies direct changes."""

from collections.abc import Collection, Mapping, Sequence
from threading import RLock

import numpy as np
from numpy.typing import NDArray

from widefork.core.changes import Change
from widefork.core.engine import kernel
from widefork.core.engine.program import Program, Values
from widefork.core.engine.subset import Subset
from widefork.core.graph.batch import Amounts
from widefork.core.graph.given import AlikeChains, absent_places, given_values, known_values, ruled_values, with_changes
from widefork.core.graph.model import Model
from widefork.core.lines import Line

Chains = list[tuple[Change, ...]] | AlikeChains
ChangesByLine = Mapping[str, Chains]
Places = NDArray[np.int64]


class Given:
    """What a model gives a program: rules and actuals, each computed once."""

    def __init__(self, program: Program) -> None:
        self.program = program
        self._ruled: dict[str, tuple[Line, Values]] = {}
        self._slab: tuple[Model, Values] | None = None

    def ruled(self, line: Line, model: Model) -> Values:
        """Return an assumption's values by its rules alone."""
        known = self._ruled.get(line.name)
        if known is None or known[0].rules is not line.rules:
            known = self._ruled[line.name] = (line, ruled_values(line, model))
        return known[1]

    def known_months(self, line: Line, model: Model) -> Values:
        """Return a line's actuals over all months, error values where nothing is known."""
        known = known_values(line, model)
        values = np.full((*self.program.lines[line.name].shape, self.program.months, 1), np.nan)
        if known is not None:
            values[..., : known.shape[-2], :] = known
        return values

    def slab(self, model: Model) -> Values:
        """Return the template with every assumption and all actuals as the model gives them, without changes."""
        if self._slab is None or self._slab[0] is not model:
            slab = self.program.template.copy()
            for line in model.lines:
                found = self.program.lines[line.name]
                if line.is_given:
                    values = given_values(line, model, [()], self.ruled(line, model))
                    slab[found.rows] = values.reshape(found.count, -1)
                elif line.name in self.program.known:
                    first = self.program.known[line.name]
                    slab[first : first + found.count] = self.known_months(line, model).reshape(found.count, -1)
            self._slab = (model, slab)
        return self._slab[1]


class SpareMemory:
    """Memory nobody reads any more, used again: fresh memory costs as much as computing what goes there."""

    def __init__(self, most_bytes: int) -> None:
        self.most_bytes = most_bytes
        self._memory: list[Values] = []
        self._lock = RLock()  # memory may be given back by whoever drops the last results, at any moment

    def take(self, size: int) -> Values:
        """Return memory for at least so many numbers."""
        with self._lock:
            for place, memory in enumerate(self._memory):
                if memory.size >= size:
                    return self._memory.pop(place)
        return np.empty(size)

    def give_back(self, memories: Sequence[Values]) -> None:
        """Keep memory for later, as far as it is not too much."""
        with self._lock:
            for memory in memories:
                if sum(kept.nbytes for kept in self._memory) + memory.nbytes <= self.most_bytes:
                    self._memory.append(memory)


class Worker:
    """A buffer that a program runs in: first the values that stand, then room for what is computed anew.

    Parameters
    ----------
    place, width : where each row stands in the buffer, and how many values a month it has; set before each run.
    """

    def __init__(self, program: Program, given: Given, buffer: Values | None = None) -> None:
        self.program, self.given = program, given
        self.standing_size = program.row_count * program.months
        self.buffer: Values = np.empty(self.standing_size) if buffer is None else buffer
        self.loaded: Values | None = None
        self.place: Places = np.arange(program.row_count) * program.months
        self.width: Places = np.ones(program.row_count, dtype=np.int64)

    def load(self, slab: Values) -> None:
        """Let values stand at the buffer's beginning."""
        if self.loaded is not slab:
            self.buffer[: slab.size] = slab.ravel()
            self.loaded = slab

    def make_room(self, subset: Subset, batch: int, spare: SpareMemory) -> None:
        """Give the rows of a subset that run anew their places behind what stands, from spare memory if some fits."""
        size = self.program.months * batch
        wanted = self.standing_size + subset.slot_count * size
        if wanted > self.buffer.size:
            grown = spare.take(wanted)
            grown[: self.standing_size] = self.buffer[: self.standing_size]
            self.buffer = grown
        is_wide = subset.slots >= 0
        narrow = np.arange(self.program.row_count) * self.program.months
        self.place = np.where(is_wide, self.standing_size + subset.slots * size, narrow)
        self.width = np.where(is_wide, batch, 1)

    def hand_over(self, subset: Subset, batch: int) -> tuple[Values, Values]:
        """Return the kept rows where they were computed, and the memory they are in; what stands moves on."""
        size = self.program.months * batch
        area = self.buffer[self.standing_size : self.standing_size + subset.slot_count * size]
        memory, self.buffer = self.buffer, self.buffer[: self.standing_size]
        return area.reshape(subset.slot_count, -1, batch)[: len(subset.outputs)], memory

    def run(
        self, model: Model, subset: Subset, touched: Collection[str], chains: ChangesByLine, batch: int, kept: Values
    ) -> dict[str, int]:
        """Give what is touched and run; return the lines that did not settle, with the first such month."""
        program = self.program
        for name in touched:
            self._give(model, model.line(name), chains.get(name, [()]))
        scratch, before = np.empty((4, batch)), np.empty((program.most_watched, batch))
        found: dict[str, int] = {}
        for stretch in subset.stretches:
            unsolved = np.full(len(stretch.sections), -1)
            kernel.run(
                subset.code, stretch.sections, program.watched, program.months, self.buffer, self.place, self.width,
                program.errors, program.tables, program.values, program.fiscal, program.lists, scratch, before,
                unsolved, kept,
            )  # fmt: skip
            for section, month in zip(stretch.origins.tolist(), unsolved.tolist(), strict=True):
                if month >= 0:
                    found |= dict.fromkeys(program.section_lines[section], month)
            if stretch.line in chains:
                self._change(model, model.line(stretch.line), chains[stretch.line])
        return found

    def _give(self, model: Model, line: Line, chains: Chains) -> None:
        found = self.program.lines[line.name]
        if line.is_given:
            ruled = self.given.ruled(line, model)
            there = self._memory_of(found.first, found.count)
            there = there if there is None else there.reshape(*ruled.shape[:-2], *there.shape[1:])
            values = given_values(line, model, chains, ruled, there)
            if values is not there:
                self._write(found.first, found.count, values)
        elif line.name in self.program.known:
            self._write(self.program.known[line.name], found.count, self.given.known_months(line, model))

    def _memory_of(self, first: int, count: int) -> Values | None:
        """Some rows in the buffer, shape (rows, months, width); None where they do not stand one after the other."""
        wide, here = int(self.width[first]), int(self.place[first])
        size = self.program.months * wide
        if not np.array_equal(self.place[first : first + count], here + size * np.arange(count)):
            return None
        return self.buffer[here : here + size * count].reshape(count, self.program.months, wide)

    def _change(self, model: Model, line: Line, chains: Chains) -> None:
        """Apply direct changes to what a line's formula gave."""
        found = self.program.lines[line.name]
        size = self.program.months * int(self.width[found.raw])
        rows = self.place[found.raw : found.raw + found.count].tolist()
        values = np.stack([self.buffer[here : here + size] for here in rows])
        changed = with_changes(line, model, values.reshape(*found.shape, self.program.months, -1), chains)
        for where in absent_places(line, model):
            changed[where] = 0.0
        self._write(found.raw, found.count, changed)

    def _write(self, first: int, count: int, values: Values) -> None:
        rows = values.reshape(count, self.program.months, -1)
        for offset in range(count):
            here, wide = int(self.place[first + offset]), int(self.width[first + offset])
            target = self.buffer[here : here + self.program.months * wide].reshape(self.program.months, wide)
            target[...] = rows[offset]


def by_line(lists: Sequence[tuple[Change, ...]]) -> ChangesByLine:
    """Return the changes of each line in each list."""
    if isinstance(lists, Amounts):
        return _alike_by_line(lists)
    chains: dict[str, list[tuple[Change, ...]]] = {}
    for place, changes in enumerate(lists):
        for change in changes:
            entries = chains.get(change.line)
            if entries is None:
                entries = chains[change.line] = [()] * len(lists)
            entries[place] = (*entries[place], change)
    return chains


def _alike_by_line(lists: Amounts) -> ChangesByLine:
    found = {}
    for name in dict.fromkeys(change.line for change in (*lists.shared, *lists.ways)):
        shared = [change for change in lists.shared if change.line == name]
        own = [place for place, way in enumerate(lists.ways) if way.line == name]
        fixed = np.tile([change.amount for change in shared], (len(lists), 1))
        amounts = np.concatenate([fixed.reshape(len(lists), -1), lists.amounts[:, own]], axis=1)
        found[name] = AlikeChains((*shared, *(lists.ways[place] for place in own)), amounts)
    return found
