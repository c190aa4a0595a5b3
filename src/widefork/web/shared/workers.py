"""Processes for work that would hold up everybody else: of one thread each, as more threads than cores only wait."""

import os
from collections.abc import Iterator
from concurrent.futures import Executor, ProcessPoolExecutor
from contextlib import contextmanager
from multiprocessing import get_context

FEW = 4
"""Pieces of work that are done sooner here than other processes begin."""


@contextmanager
def workers(count: int, few: int = FEW) -> Iterator[Executor | None]:
    """Give processes for so many pieces of work; None where they are few. What has not begun is left at the end."""
    if count <= few:
        yield None
        return
    for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
        os.environ.setdefault(name, "1")
    executor = ProcessPoolExecutor(min(count, os.cpu_count() or 1), get_context("spawn"))
    try:
        yield executor
    finally:
        executor.shutdown(wait=False, cancel_futures=True)
