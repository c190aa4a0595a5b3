"""Sweeps: all draws evaluated in batches of a stated size, on threads here or on other machines, and tallied.

A batch knows by itself which points it draws, so that the same seed gives the same numbers on any executor and in
batches of any size.
"""

import pickle
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.chance.layout import Layout
from widefork.core.analysis.chance.points import SCRAMBLINGS, Design
from widefork.core.analysis.figures import answer
from widefork.core.axes import Grain
from widefork.core.engine import evaluate, warm_up
from widefork.core.figures import Figure
from widefork.core.finance.assemble import build_plan
from widefork.core.finance.checks.limits import limit_kept, lines_of_limit
from widefork.core.graph.calculate import Results
from widefork.core.graph.plan import Plan
from widefork.core.graph.rollup import roll_up

Values = NDArray[np.float64]
BATCH = 2048
"""Draws evaluated at once: some 40 MB for the demo company."""
THREADS, AT_ONCE = 2, 4
"""Batches worked on at a time here, and under way in all, so that finished ones never pile up."""
ROOM = "headroom"
"""The line a company is short of money in while it is below 0."""


@dataclass(frozen=True)
class Sweep:
    """What is drawn, and what is wanted of every draw.

    Parameters
    ----------
    figures : answered for every draw. fans : lines whose months are wanted, members rolled up.
    rate : a year, on money that covers a draw's need from the month it is first short.
    """

    layout: Layout
    design: Design
    figures: tuple[Figure, ...]
    fans: tuple[str, ...] = ()
    rate: float = 0.0


@dataclass(frozen=True)
class Tally:
    """What a batch came to.

    Parameters
    ----------
    figures : shape (figures, draws). fans : by line, shape (plan months, draws).
    room : of the plan months above the waterline, shape (months, draws); empty where the model has none.
    kept : by limit, shape (its dates, draws). drivers : shape (spreads, draws), what is behind each, over its periods.
    """

    figures: Values
    fans: dict[str, Values]
    room: Values
    kept: dict[str, NDArray[np.bool_]]
    drivers: Values


Chunk = tuple[int, int, int]
"""A scrambling, and from which to which of its points."""


def chunks_of(design: Design, batch: int = BATCH) -> tuple[Chunk, ...]:
    """Return the batches a sweep is made of, in the order their answers stand."""
    each = design.each
    return tuple(
        (scrambling, start, min(start + batch, each))
        for scrambling in range(SCRAMBLINGS)
        for start in range(0, each, batch)
    )


def tally(plan: Plan, sweep: Sweep, chunk: Chunk) -> Tally:
    """Return what a batch of draws comes to."""
    layout = sweep.layout
    drivers = layout.drivers(sweep.design.standard(*chunk))
    count, model = len(drivers), plan.model
    months = model.timeline.periods(Grain.MONTH)[model.timeline.actual_count :]
    has_room = ROOM in model.line_by_name and ROOM not in plan.problems
    lines = list(
        dict.fromkeys(
            (*(f.line for f in sweep.figures), *sweep.fans, *((ROOM,) if has_room else ()), *limit_lines(plan))
        )
    )
    figures = np.empty((len(sweep.figures), count))
    fans = {name: np.empty((len(months), count)) for name in sweep.fans}
    room = np.empty((len(months) if has_room else 0, count))
    kept: dict[str, NDArray[np.bool_]] = {}
    for rows, batch in layout.batches(drivers):
        results = evaluate(plan, batch, lines)
        for place, figure in enumerate(sweep.figures):
            figures[place, rows] = answer(figure, results).amounts
        for name, values in fans.items():
            values[:, rows] = roll_up(results, name, months)
        if has_room:
            room[:, rows] = roll_up(results, ROOM, months)
        for limit, held in _limits(results):
            kept.setdefault(limit, np.zeros((len(held), count), dtype=bool))[:, rows] = held
    own = np.stack([drivers[:, columns].mean(axis=1) for columns in layout.columns])
    return Tally(figures, fans, room, kept, own)


def limit_lines(plan: Plan) -> tuple[str, ...]:
    """Return the lines that the model's limits are about."""
    limits = (limit for limit in plan.model.limits if limit.line not in plan.problems)
    return tuple(dict.fromkeys(name for limit in limits for name in lines_of_limit(limit)))


def _limits(results: Results) -> Iterator[tuple[str, NDArray[np.bool_]]]:
    for limit in results.plan.model.limits:
        if limit.line not in results.plan.problems:
            held = limit_kept(results, limit)
            if held.size:
                yield limit.name, held


@dataclass(frozen=True)
class Progress:
    """How far a sweep is: draws done of all."""

    done: int
    count: int


def run_sweep(
    plan: Plan,
    sweep: Sweep,
    take: Callable[[Tally], None],
    executor: Executor | None = None,
    batch: int = BATCH,
    told: Callable[[Progress], bool] = lambda _: True,
) -> int:
    """Evaluate all draws and hand every batch's tally on, in order; return how many draws were done.

    Parameters
    ----------
    take : is given the tallies one after another, always in the same order.
    executor : where batches are evaluated; threads of this process where None. Any other is sent the model as text it
        can unpickle, so that it may be of other processes or machines.
    told : hears how far it is after every batch; the sweep ends there when it returns False.
    """
    if executor is not None:
        return _run(plan, sweep, take, executor, batch, told)
    with ThreadPoolExecutor(THREADS, "sweep") as threads:
        return _run(plan, sweep, take, threads, batch, told)


def _run(
    plan: Plan,
    sweep: Sweep,
    take: Callable[[Tally], None],
    executor: Executor,
    batch: int,
    told: Callable[[Progress], bool],
) -> int:
    waiting: deque[tuple[Chunk, Future[Tally]]] = deque()
    chunks = deque(chunks_of(sweep.design, batch))
    send = _sender(plan, sweep, executor)
    done = 0
    while chunks or waiting:
        while chunks and len(waiting) < AT_ONCE:
            chunk = chunks.popleft()
            waiting.append((chunk, send(chunk)))
        chunk, future = waiting.popleft()
        take(future.result())
        done += chunk[2] - chunk[1]
        if not told(Progress(done, sweep.design.count)):
            for _, other in waiting:
                other.cancel()
            break
    return done


def _sender(plan: Plan, sweep: Sweep, executor: Executor) -> Callable[[Chunk], "Future[Tally]"]:
    if isinstance(executor, ThreadPoolExecutor):
        return lambda chunk: executor.submit(_here, plan, sweep, chunk)
    packed = pickle.dumps((plan.own or plan.model, plan.own is not None, sweep))
    return lambda chunk: executor.submit(tally_packed, packed, chunk)


def _here(plan: Plan, sweep: Sweep, chunk: Chunk) -> Tally:
    """A batch on a thread of this process, with a machine for itself: one machine does one thing at a time."""
    spare: deque[Plan] = plan.shared.setdefault("spare", deque())
    try:
        own = spare.popleft()  # taking from a deque is safe among threads
        own = own if own.model is plan.model else replace(plan, shared=own.shared)
    except IndexError:
        own = replace(plan, shared={})
    try:
        return tally(own, sweep, chunk)
    finally:
        spare.append(own)


_packed: dict[bytes, tuple[Plan, Sweep]] = {}


def tally_packed(packed: bytes, chunk: Chunk) -> Tally:
    """Return what a batch comes to in another process: the model is compiled there once."""
    if packed not in _packed:
        from widefork.core.graph.plan import compile_model

        model, is_own, sweep = pickle.loads(packed)
        warm_up()
        _packed.clear()
        _packed[packed] = (build_plan(model) if is_own else compile_model(model), sweep)
    plan, sweep = _packed[packed]
    return tally(plan, sweep, chunk)
