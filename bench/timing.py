"""Times things side by side: in turns, so that a busy moment hits all of them alike, and by their medians."""

import gc
import tracemalloc
from statistics import median
from time import perf_counter


def side_by_side(rounds, repeat=1, **tasks):
    """Return the median seconds of each task, after one run of each that does not count.

    Short tasks are repeated in each turn, so that none pays for what the others left in the processor's cache.
    """
    taken = {name: [] for name in tasks}
    for task in tasks.values():
        task()
    gc.collect()
    for _ in range(rounds):
        for name, task in tasks.items():
            start = perf_counter()
            for _ in range(repeat):
                task()
            taken[name].append((perf_counter() - start) / repeat)
    return {name: median(times) for name, times in taken.items()}


def peak_memory(task):
    """Return the most bytes a task holds at once, beyond what is there before."""
    gc.collect()
    tracemalloc.start()
    task()
    _, peak = tracemalloc.get_traced_memory()
    tracemalloc.stop()
    return peak
