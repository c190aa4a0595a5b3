"""Runs a program: keeps the values of change lists it has seen, and runs again only what a further change reaches."""

from collections import OrderedDict
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from threading import RLock
from typing import Any
from weakref import finalize

import numpy as np
from numpy.typing import NDArray

from widefork.core.changes import Change
from widefork.core.engine import kernel
from widefork.core.engine.program import LineRows, Program, Values
from widefork.core.engine.subset import Keeps, Subset, find_subset
from widefork.core.graph.batch import Amounts
from widefork.core.graph.calculate import ChangeList, Results
from widefork.core.graph.given import AlikeChains, absent_places, given_values, known_values, ruled_values, with_changes
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan
from widefork.core.lines import Line

WORKING_SET = 40_000_000
NARROWEST, WIDEST = 64, 512
"""Entries of a batch run at once: as many as keep what is worked on within so many bytes of the processor's cache."""
MOST_SPARE = 256_000_000
"""Bytes of buffers kept for the next large batch."""
STANDINGS_KEPT = 16
SUBSETS_KEPT = 400
KEPT_WHOLE = 4
"""Batches up to this size are computed entry by entry, and every entry is kept for what may ride on it."""
SMALL_STEP = 2
"""A single list that changes no more lines than this is not worth keeping by itself."""

ChangesByLine = Mapping[str, list[tuple[Change, ...]] | AlikeChains]


@dataclass(frozen=True)
class Standing:
    """All values under one change list.

    Parameters
    ----------
    slab : shape (rows, months). unsolved : as in ``Results``.
    """

    model: Model
    changes: tuple[Change, ...]
    slab: Values
    unsolved: Mapping[str, int]


class Arrays(Mapping[str, Values]):
    """Values by line, put together when they are asked for: computed anew where the batch reached, else standing."""

    def __init__(
        self, program: Program, slab: Values, subset: Subset | None = None, pieces: Sequence[Values] = ()
    ) -> None:
        self.program, self.slab, self.subset, self.pieces = program, slab, subset, pieces

    def __getitem__(self, name: str) -> Values:
        found = self.program.lines[name]
        months = self.program.months
        standing = self.slab[found.rows].reshape(*found.shape, months, 1)
        if self.subset is None or not self.subset.reached[found.rows].any():
            return standing
        return self._renewed(name, self.subset, found, standing)

    def _renewed(self, name: str, subset: Subset, found: LineRows, standing: Values) -> Values:
        outputs = subset.outputs
        first, stop = np.searchsorted(outputs, [found.first, found.first + found.count])
        if stop - first < int(subset.reached[found.rows].sum()):
            raise KeyError(f"{name} was not asked for")
        renewed = np.concatenate([piece[first:stop] for piece in self.pieces], axis=-1)
        if stop - first == found.count:
            return renewed.reshape(*found.shape, *renewed.shape[1:])
        whole = np.broadcast_to(standing.reshape(found.count, -1, 1), (found.count, *renewed.shape[1:])).copy()
        whole[outputs[first:stop] - found.first] = renewed
        return whole.reshape(*found.shape, *renewed.shape[1:])

    def __iter__(self) -> Iterator[str]:
        return iter(self.program.lines)

    def __len__(self) -> int:
        return len(self.program.lines)


class Stacked(Mapping[str, Values]):
    """Several standings as one batch."""

    def __init__(self, program: Program, slabs: Sequence[Values]) -> None:
        self.program, self.slabs = program, slabs

    def __getitem__(self, name: str) -> Values:
        found = self.program.lines[name]
        parts = np.stack([slab[found.rows] for slab in self.slabs], axis=-1)
        return parts.reshape(*found.shape, self.program.months, len(self.slabs))

    def __iter__(self) -> Iterator[str]:
        return iter(self.program.lines)

    def __len__(self) -> int:
        return len(self.program.lines)


NOTHING_KEPT: Values = np.empty((0, 0, 0))


class Machine:
    """Evaluates plans that share one program. Calls from several threads take turns."""

    def __init__(self, program: Program) -> None:
        self.program = program
        self._lock = RLock()
        self._standings: OrderedDict[tuple[int, tuple[Change, ...]], Standing] = OrderedDict()
        self._given: tuple[Model, Values] | None = None
        self._ruled: dict[str, tuple[Line, Values]] = {}
        self._subsets: OrderedDict[Any, Subset] = OrderedDict()
        self._buffer: Values = np.empty(program.row_count * program.months)
        self._loaded: Values | None = None
        self._spare: list[Values] = []

    def evaluate(self, plan: Plan, batch: Sequence[ChangeList], lines: Sequence[str] | None = None) -> Results:
        """Return the values of a batch; see ``engine.evaluate``."""
        lists = batch if isinstance(batch, Amounts) else [tuple(changes) for changes in batch]
        with self._lock:
            base, touched = self._base(plan.model, lists)
            is_small_step = len(lists) == 1 and base is not None and base.model is plan.model
            if base is None or (lines is None and len(lists) <= KEPT_WHOLE and not is_small_step):
                return self._whole(plan, lists)
            return self._riding(plan, lists, lines, base, touched)

    def forget(self) -> None:
        """Forget all values, so that the next question is answered from nothing; what is given stays."""
        with self._lock:
            self._standings.clear()
            self._loaded = None

    # Every entry by itself

    def _whole(self, plan: Plan, lists: Sequence[tuple[Change, ...]]) -> Results:
        standings = [self.standing(plan.model, changes) for changes in lists]
        unsolved: dict[str, int] = {}
        for standing in standings:
            for name, month in standing.unsolved.items():
                unsolved[name] = min(month, unsolved.get(name, month))
        if len(standings) == 1:
            return Results(plan, 1, Arrays(self.program, standings[0].slab), unsolved, self.program.origin)
        return Results(
            plan, len(lists), Stacked(self.program, [s.slab for s in standings]), unsolved, self.program.origin
        )

    def standing(self, model: Model, changes: tuple[Change, ...]) -> Standing:
        """Return all values under one change list, from the nearest ones already known."""
        key = (id(model), changes)
        if key in self._standings:
            self._standings.move_to_end(key)
            return self._standings[key]
        nearest, touched = self._nearest(model, changes)
        if nearest is not None and not touched:
            found = Standing(model, changes, nearest.slab, nearest.unsolved)
        else:
            found = self._stand(model, changes, nearest, touched)
        self._standings[key] = found
        while len(self._standings) > STANDINGS_KEPT:
            self._standings.popitem(last=False)
        return found

    def _nearest(self, model: Model, changes: tuple[Change, ...]) -> tuple[Standing | None, frozenset[str]]:
        """The standing that differs least, and the lines given or changed otherwise there."""
        nearest, fewest = None, frozenset[str]()
        for known in reversed(self._standings.values()):
            touched = self._touched(known, model, changes)
            if nearest is None or len(touched) < len(fewest):
                nearest, fewest = known, touched
            if len(fewest) <= 1:
                break
        return nearest, fewest

    def _touched(self, known: Standing, model: Model, changes: tuple[Change, ...]) -> frozenset[str]:
        """Lines given or changed otherwise than in a standing."""
        found = set()
        if known.model is not model:
            for old, new in zip(known.model.lines, model.lines, strict=True):
                if old is not new and (old.rules != new.rules or old.actuals != new.actuals):
                    found.add(new.name)
        if known.changes != changes:
            one, two = _by_line([known.changes]), _by_line([changes])
            found.update(name for name in {*one, *two} if one.get(name) != two.get(name))
        return frozenset(found)

    def _stand(
        self, model: Model, changes: tuple[Change, ...], nearest: Standing | None, touched: frozenset[str]
    ) -> Standing:
        program = self.program
        direct = self._direct(changes)
        if nearest is None:
            touched = frozenset(change.line for change in changes)
            slab, unsolved = self._given_slab(model), {}
            subset = self._subset(touched, direct, None, all_rows=True, keeps=Keeps.NOTHING)
        else:
            slab, unsolved = nearest.slab, dict(nearest.unsolved)
            subset = self._subset(touched, direct, None, keeps=Keeps.NOTHING)
        place = np.arange(program.row_count) * program.months
        width = np.ones(program.row_count, dtype=np.int64)
        unsolved = self._still_unsolved(unsolved, subset)
        aside, self._buffer = self._buffer, slab.ravel().copy()  # computed where it will stand
        try:
            unsolved |= self._run(model, subset, touched, _by_line([changes]), 1, place, width, NOTHING_KEPT)
        finally:
            whole, self._buffer = self._buffer, aside
        return Standing(model, changes, whole.reshape(slab.shape), unsolved)

    def _still_unsolved(self, known: Mapping[str, int], subset: Subset) -> dict[str, int]:
        """What is known not to settle, but for what runs again."""
        again = {int(section) for stretch in subset.stretches for section in stretch.origins}
        renewed = {name for section, names in self.program.section_lines.items() if section in again for name in names}
        return {name: month for name, month in known.items() if name not in renewed}

    # A batch that rides on what its entries have in common

    def _riding(
        self,
        plan: Plan,
        lists: Sequence[tuple[Change, ...]],
        lines: Sequence[str] | None,
        base: Standing,
        touched: frozenset[str],
    ) -> Results:
        wanted = None if lines is None else tuple(dict.fromkeys(plan.with_ratios(lines)))
        if not touched:
            return Results(plan, len(lists), Arrays(self.program, base.slab), base.unsolved, self.program.origin)
        keeps = Keeps.COPIES if wanted is not None or len(lists) < NARROWEST else Keeps.STAYING
        subset = self._subset(touched, self._direct_in(lists), wanted, keeps=keeps)
        months = self.program.months
        pieces: list[Values] = []
        taken: list[Values] = []
        unsolved = self._still_unsolved(base.unsolved, subset)
        self._load(base.slab)
        start = self.program.row_count * months
        is_wide = subset.slots >= 0
        step = WIDEST
        if keeps is Keeps.COPIES:
            fitting = WORKING_SET // max(1, subset.slot_count * months * 8) // NARROWEST * NARROWEST
            step = min(max(fitting, NARROWEST), WIDEST)
        for first in range(0, len(lists), step):
            piece = lists[first : first + step]
            size = months * len(piece)
            self._reserve(start + subset.slot_count * size)
            place = np.where(is_wide, start + subset.slots * size, np.arange(self.program.row_count) * months)
            width = np.where(is_wide, len(piece), 1)
            kept = np.empty((len(subset.outputs) if keeps is Keeps.COPIES else 0, months, len(piece)))
            found = self._run(plan.model, subset, touched, _by_line(piece), len(piece), place, width, kept)
            pieces.append(kept if keeps is Keeps.COPIES else self._taken_over(subset, start, size, len(piece), taken))
            for name, month in found.items():
                unsolved[name] = min(month, unsolved.get(name, month))
        arrays = Arrays(self.program, base.slab, subset, pieces)
        if taken:
            finalize(arrays, self._give_back, taken)
        return Results(plan, len(lists), arrays, unsolved, self.program.origin)

    def _taken_over(self, subset: Subset, start: int, size: int, batch: int, taken: list[Values]) -> Values:
        """The buffer's working area as the values of the rows in it; another buffer takes its place."""
        area = self._buffer[start : start + subset.slot_count * size].reshape(subset.slot_count, -1, batch)
        taken.append(self._buffer)
        self._buffer = self._buffer[:start]
        return area[: len(subset.outputs)]

    def _give_back(self, buffers: Sequence[Values]) -> None:
        """Buffers nobody reads any more are used again: fresh memory costs as much as computing what goes there."""
        for buffer in buffers:
            if sum(spare.nbytes for spare in self._spare) + buffer.nbytes <= MOST_SPARE:
                self._spare.append(buffer)

    def _base(self, model: Model, lists: Sequence[tuple[Change, ...]]) -> tuple[Standing | None, frozenset[str]]:
        """The standing a batch rides on, and the lines given or changed otherwise in it; None where all is new."""
        if isinstance(lists, Amounts):
            return self.standing(model, lists.shared), frozenset(way.line for way in lists.ways)
        if len(lists) == 1:
            known = self._standings.get((id(model), lists[0]))
            if known is not None:
                return known, frozenset()
            nearest, touched = self._nearest(model, lists[0])
            return (nearest, touched) if len(touched) <= SMALL_STEP else (None, touched)
        shared = _common(lists)
        return self.standing(model, shared), frozenset(c.line for changes in lists for c in changes[len(shared) :])

    # Both

    def _run(
        self,
        model: Model,
        subset: Subset,
        touched: Collection[str],
        chains: ChangesByLine,
        batch: int,
        place: NDArray[np.int64],
        width: NDArray[np.int64],
        kept: Values,
    ) -> dict[str, int]:
        """Give what is touched and run; return the lines that did not settle, with the first such month."""
        program = self.program
        for name in touched:
            self._give(model, model.line(name), chains.get(name, [()]), place, width)
        scratch, before = np.empty((4, batch)), np.empty((program.most_watched, batch))
        found: dict[str, int] = {}
        for stretch in subset.stretches:
            unsolved = np.full(len(stretch.sections), -1)
            kernel.run(
                subset.code, stretch.sections, program.watched, program.months, self._buffer, place, width,
                program.errors, program.tables, program.values, program.fiscal, program.lists, scratch, before,
                unsolved, kept,
            )  # fmt: skip
            for section, month in zip(stretch.origins.tolist(), unsolved.tolist(), strict=True):
                if month >= 0:
                    found |= dict.fromkeys(program.section_lines[section], month)
            if stretch.line in chains:
                self._change(model, model.line(stretch.line), chains[stretch.line], place, width)
        return found

    def _give(
        self,
        model: Model,
        line: Line,
        chains: list[tuple[Change, ...]] | AlikeChains,
        place: NDArray[np.int64],
        width: NDArray[np.int64],
    ) -> None:
        found = self.program.lines[line.name]
        if line.is_assumption:
            values = given_values(line, model, chains, self._ruled_values(line, model))
            self._write(found.first, found.count, values, place, width)
        elif line.name in self.program.known:
            self._write(self.program.known[line.name], found.count, self._known_months(line, model), place, width)

    def _ruled_values(self, line: Line, model: Model) -> Values:
        known = self._ruled.get(line.name)
        if known is None or known[0].rules is not line.rules:
            known = self._ruled[line.name] = (line, ruled_values(line, model))
        return known[1]

    def _change(
        self,
        model: Model,
        line: Line,
        chains: list[tuple[Change, ...]] | AlikeChains,
        place: NDArray[np.int64],
        width: NDArray[np.int64],
    ) -> None:
        """Apply direct changes to what a line's formula gave."""
        found = self.program.lines[line.name]
        rows = range(found.raw, found.raw + found.count)
        size = self.program.months * int(width[found.raw])
        values = np.stack([self._buffer[place[row] : place[row] + size] for row in rows])
        shaped = values.reshape(*found.shape, self.program.months, -1)
        changed = with_changes(line, model, shaped, chains)
        for where in absent_places(line, model):
            changed[where] = 0.0
        self._write(found.raw, found.count, changed, place, width)

    def _write(
        self, first: int, count: int, values: Values, place: NDArray[np.int64], width: NDArray[np.int64]
    ) -> None:
        rows = values.reshape(count, self.program.months, -1)
        for offset in range(count):
            here, wide = int(place[first + offset]), int(width[first + offset])
            target = self._buffer[here : here + self.program.months * wide].reshape(self.program.months, wide)
            target[...] = rows[offset]

    def _direct(self, changes: Sequence[Change]) -> frozenset[str]:
        """Calculated lines that are changed directly."""
        return frozenset(change.line for change in changes if change.line in self.program.ends)

    def _direct_in(self, lists: Sequence[tuple[Change, ...]]) -> frozenset[str]:
        if isinstance(lists, Amounts):
            return self._direct((*lists.shared, *lists.ways))
        return self._direct([change for changes in lists for change in changes])

    def _subset(
        self,
        touched: frozenset[str],
        direct: frozenset[str],
        wanted: tuple[str, ...] | None,
        all_rows: bool = False,
        keeps: Keeps = Keeps.COPIES,
    ) -> Subset:
        key = (touched, direct, wanted, all_rows, keeps)
        if key not in self._subsets:
            self._subsets[key] = find_subset(self.program, touched, direct, wanted, all_rows=all_rows, keeps=keeps)
            while len(self._subsets) > SUBSETS_KEPT:
                self._subsets.popitem(last=False)
        self._subsets.move_to_end(key)
        return self._subsets[key]

    def _given_slab(self, model: Model) -> Values:
        """The template with every assumption and all actuals as the model gives them, without changes."""
        if self._given is None or self._given[0] is not model:
            slab = self.program.template.copy()
            for line in model.lines:
                found = self.program.lines[line.name]
                if line.is_assumption:
                    values = given_values(line, model, [()], self._ruled_values(line, model))
                    slab[found.rows] = values.reshape(found.count, -1)
                elif line.name in self.program.known:
                    first = self.program.known[line.name]
                    slab[first : first + found.count] = self._known_months(line, model).reshape(found.count, -1)
            self._given = (model, slab)
        return self._given[1]

    def _known_months(self, line: Line, model: Model) -> Values:
        known = known_values(line, model)
        values = np.full((*self.program.lines[line.name].shape, self.program.months, 1), np.nan)
        if known is not None:
            values[..., : known.shape[-2], :] = known
        return values

    def _load(self, slab: Values) -> None:
        if self._loaded is not slab:
            self._buffer[: slab.size] = slab.ravel()
            self._loaded = slab

    def _reserve(self, size: int) -> None:
        if size > self._buffer.size:
            fitting = [place for place, spare in enumerate(self._spare) if spare.size >= size]
            grown = self._spare.pop(fitting[0]) if fitting else np.empty(size)
            standing = self.program.row_count * self.program.months
            grown[:standing] = self._buffer[:standing]
            self._buffer = grown


def _by_line(lists: Sequence[tuple[Change, ...]]) -> ChangesByLine:
    """The changes of each line in each list."""
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


def _common(lists: Sequence[tuple[Change, ...]]) -> tuple[Change, ...]:
    """What all lists begin with."""
    shared = lists[0]
    for changes in lists[1:]:
        if changes[: len(shared)] != shared:
            length = next(
                (k for k, (one, two) in enumerate(zip(shared, changes, strict=False)) if one != two),
                min(len(shared), len(changes)),
            )
            shared = shared[:length]
    return shared
