"""Runs a program: keeps the values of change lists it has seen, and runs again only what a further change reaches.

A person changes one thing at a time, and a question asks about many lists that differ in one or two changes each. Both
begin from values that are known already, so most of a program never runs twice (decision 0023).
"""

from collections import OrderedDict
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from threading import RLock
from typing import Any
from weakref import finalize

import numpy as np

from widefork.core.changes import Change
from widefork.core.engine.arrays import Arrays, Stacked
from widefork.core.engine.program import Program, Values
from widefork.core.engine.subset import Keeps, Subset, find_subset
from widefork.core.engine.worker import Given, SpareMemory, Worker, by_line
from widefork.core.graph.batch import Amounts
from widefork.core.graph.calculate import ChangeList, Results
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan

WORKING_SET = 40_000_000
NARROWEST, WIDEST = 64, 512
"""Entries of a batch run at once: as many as keep what is worked on within so many bytes of the processor's cache."""
MOST_SPARE = 256_000_000
"""Bytes of buffers kept for the next large batch."""
MOST_WORKERS, WORTH_SHARING = 2, 4
"""Pieces from which on a batch is shared out; more workers than two only wait for memory."""
STANDINGS_KEPT = 32
SUBSETS_KEPT = 400
KEPT_WHOLE = 12
"""Batches up to this size are computed entry by entry, and every entry is kept for what may ride on it."""
SMALL_STEP = 2
"""A single list that changes no more lines than this is not worth keeping by itself."""


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


NOTHING_KEPT: Values = np.empty((0, 0, 0))


Computed = tuple[Values, Values | None, dict[str, int]]
"""A piece's kept rows, the memory they are in where it is handed over, and the lines that did not settle."""
Compute = Callable[[Worker, int], Computed]


class Machine:
    """Evaluates plans that share one program. Calls from several threads take turns."""

    def __init__(self, program: Program) -> None:
        self.program = program
        self._lock = RLock()
        self._standings: OrderedDict[tuple[int, tuple[Change, ...]], Standing] = OrderedDict()
        self._given = Given(program)
        self._subsets: OrderedDict[Any, Subset] = OrderedDict()
        self._workers = [Worker(program, self._given)]
        self._spare = SpareMemory(MOST_SPARE)
        self._compared: tuple[Model, dict[int, tuple[Model, frozenset[str]]]] | None = None

    def evaluate(self, plan: Plan, batch: Sequence[ChangeList], lines: Sequence[str] | None = None) -> Results:
        """Return the values of a batch; see ``engine.evaluate``."""
        # A list far from all that is known is worth standing by itself: the next ones will ride on it. One that is a
        # small step away is answered by the step alone, as a key pressed in a field is followed by the next one.
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

    # Every entry by itself

    def _whole(self, plan: Plan, lists: Sequence[tuple[Change, ...]]) -> Results:
        standings = [self.standing(plan.model, changes) for changes in lists]
        unsolved: dict[str, int] = {}
        for standing in standings:
            for name, month in standing.unsolved.items():
                unsolved[name] = min(month, unsolved.get(name, month))
        if len(standings) == 1:
            return Results(plan, 1, Arrays(self.program, standings[0].slab), unsolved, self.program.origin, lists)
        return Results(
            plan, len(lists), Stacked(self.program, [s.slab for s in standings]), unsolved, self.program.origin, lists
        )

    def standing(self, model: Model, changes: tuple[Change, ...]) -> Standing:
        """Return all values under one change list, from the nearest ones already known."""
        key = (id(model), changes)  # the standing holds the model, so its id is not given to another one meanwhile
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
        same = next((known for known in reversed(self._standings.values()) if known.changes == changes), None)
        if same is not None:  # an edit of what is given: hardly anything can be nearer, and this is quick to see
            given = self._given_otherwise(same.model, model)
            if len(given) <= SMALL_STEP:
                return same, given
        nearest, fewest = None, frozenset[str]()
        for known in reversed(self._standings.values()):  # the latest first: it is the most likely to be the nearest
            touched = self._touched(known, model, changes)
            if nearest is None or len(touched) < len(fewest):
                nearest, fewest = known, touched
            if not fewest:
                break
        return nearest, fewest

    def _touched(self, known: Standing, model: Model, changes: tuple[Change, ...]) -> frozenset[str]:
        """Lines given or changed otherwise than in a standing."""
        found = set(self._given_otherwise(known.model, model))
        if known.changes != changes:
            one, two = by_line([known.changes]), by_line([changes])
            found.update(name for name in {*one, *two} if one.get(name) != two.get(name))
        return frozenset(found)

    def _given_otherwise(self, earlier: Model, model: Model) -> frozenset[str]:
        """Lines two models give otherwise; asked again and again, for each case of the one that is evaluated."""
        if earlier is model:
            return frozenset()
        if self._compared is None or self._compared[0] is not model:
            self._compared = (model, {})
        known = self._compared[1].get(id(earlier))
        if known is None or known[0] is not earlier:
            pairs = zip(earlier.lines, model.lines, strict=True)
            found = frozenset(
                new.name for old, new in pairs
                if old is not new and (old.rules != new.rules or old.actuals != new.actuals)
            )  # fmt: skip
            known = self._compared[1][id(earlier)] = (earlier, found)
        return known[1]

    def _stand(
        self, model: Model, changes: tuple[Change, ...], nearest: Standing | None, touched: frozenset[str]
    ) -> Standing:
        direct = self._direct(changes)
        if nearest is None:
            touched = frozenset(change.line for change in changes)
            slab, unsolved = self._given.slab(model), {}
            subset = self._subset(touched, direct, None, all_rows=True, keeps=Keeps.NOTHING)
        else:
            slab, unsolved = nearest.slab, dict(nearest.unsolved)
            subset = self._subset(touched, direct, None, keeps=Keeps.NOTHING)
        unsolved = self._still_unsolved(unsolved, subset)
        # Computed where it will stand: rows that are not reached are there already, and nothing is moved afterwards.
        whole = slab.copy()
        worker = Worker(self.program, self._given, whole.reshape(-1))
        unsolved |= worker.run(model, subset, touched, by_line([changes]), 1, NOTHING_KEPT)
        return Standing(model, changes, whole, unsolved)

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
        if not touched:  # every entry is the base itself
            return Results(plan, len(lists), Arrays(self.program, base.slab), base.unsolved, self.program.origin, lists)
        # Few lines are copied out of slots that are used again, which keeps what is worked on small. All lines of a
        # wide batch stay where they are: copying them would cost as much as computing them.
        keeps = Keeps.COPIES if wanted is not None or len(lists) < NARROWEST else Keeps.STAYING
        subset = self._subset(touched, self._direct_in(lists), wanted, keeps=keeps)
        step = WIDEST
        if keeps is Keeps.COPIES:
            fitting = WORKING_SET // max(1, subset.slot_count * self.program.months * 8) // NARROWEST * NARROWEST
            step = min(max(fitting, NARROWEST), WIDEST)
        starts = range(0, len(lists), step)

        def compute(worker: Worker, first: int) -> Computed:
            piece = lists[first : first + step]
            worker.make_room(subset, len(piece), self._spare)
            kept = np.empty((len(subset.outputs), self.program.months, len(piece))) if copies else NOTHING_KEPT
            found = worker.run(plan.model, subset, touched, by_line(piece), len(piece), kept)
            return (kept, None, found) if copies else (*worker.hand_over(subset, len(piece)), found)

        copies = keeps is Keeps.COPIES
        done = self._in_turns(compute, starts, base.slab)
        arrays = Arrays(self.program, base.slab, subset, [kept for kept, _, _ in done])
        if not copies:
            # A large batch's memory costs more to get from the system than to compute in, so it comes back when nobody
            # reads the results any more.
            finalize(arrays, self._spare.give_back, [memory for _, memory, _ in done if memory is not None])
        unsolved = self._still_unsolved(base.unsolved, subset)
        for _, _, found in done:
            for name, month in found.items():
                unsolved[name] = min(month, unsolved.get(name, month))
        return Results(plan, len(lists), arrays, unsolved, self.program.origin, lists)

    def _in_turns(self, compute: Compute, starts: Sequence[int], slab: Values) -> list[Computed]:
        """All pieces of a batch in order; those of a large one by two workers at once."""
        count = MOST_WORKERS if len(starts) >= WORTH_SHARING else 1
        while len(self._workers) < count:
            self._workers.append(Worker(self.program, self._given))
        workers = self._workers[:count]
        for worker in workers:
            worker.load(slab)
        if count == 1:
            return [compute(workers[0], first) for first in starts]

        def share(worker: Worker, own: Sequence[int]) -> list[Computed]:
            return [compute(worker, first) for first in own]

        with ThreadPoolExecutor(count) as pool:  # the kernel lets go of the interpreter, so threads are enough
            shares = list(pool.map(share, workers, [starts[turn::count] for turn in range(count)]))
        return [shares[place % count][place // count] for place in range(len(starts))]

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
