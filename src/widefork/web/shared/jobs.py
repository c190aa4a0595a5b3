"""Long work beside requests: begun once for all who ask the same, with its progress, ended when asked to."""

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, field
from math import inf, isfinite
from threading import Event, Lock, Thread
from time import monotonic
from typing import Any

from widefork.core.errors import WideforkError

KEPT = 6
"""Results of long work kept: draws take much room."""
ANSWERS_KEPT = 400
"""Answers kept: each is a row of numbers."""
LEFT = 10.0
"""Seconds after which an answer nobody asks for any more is left."""
Told = Callable[[int, int], bool]
"""Hears how much is done and of how much; says whether to go on."""


@dataclass
class Job:
    """One piece of work. ``found`` is its result; ``fault`` why there is none.

    Parameters
    ----------
    left_after : seconds after which work that nobody asks for any more is ended; ``is_left`` says that it was.
    """

    done: int = 0
    count: int = 0
    found: Any = None
    fault: WideforkError | None = None
    began: float = field(default_factory=monotonic)
    ended: Event = field(default_factory=Event)
    stop: Event = field(default_factory=Event)
    left_after: float = inf
    is_left: bool = False
    asked: float = field(default_factory=monotonic)
    waiting: int = 0

    @property
    def is_running(self) -> bool:
        """Whether it is not there yet."""
        return not self.ended.is_set()

    @property
    def seconds_left(self) -> float:
        """How long it will still take if it goes on as it has so far; NaN before anything is done."""
        return (monotonic() - self.began) / self.done * (self.count - self.done) if self.done else float("nan")

    def told(self, done: int, count: int) -> bool:
        """Note how far it is; return whether to go on."""
        self.done, self.count = done, count
        self.is_left = self.is_left or (self.waiting == 0 and monotonic() - self.asked > self.left_after)
        return not (self.is_left or self.stop.is_set())


class Jobs:
    """The work under way and the latest results. Safe to use from several threads.

    Parameters
    ----------
    kept : how many results, the latest asked for.
    left_after : seconds after which work is ended that nobody asks for any more; it begins anew when asked for again.
    """

    def __init__(self, kept: int = KEPT, left_after: float = inf) -> None:
        self._most, self._left_after = kept, left_after
        self._jobs: OrderedDict[Hashable, Job] = OrderedDict()
        self._lock = Lock()

    def get(self, key: Hashable, work: Callable[[Told], Any], patience: float = 0.0) -> Job:
        """Return the job of a key, begun if nobody did; wait for it so many seconds."""
        with self._lock:
            job = self._jobs.get(key)
            if job is None or job.is_left:
                job = self._jobs[key] = Job(left_after=self._left_after)
                Thread(target=_do, args=(job, work), daemon=True).start()
            self._jobs.move_to_end(key)
            job.waiting += 1
            while len(self._jobs) > self._most:
                self._jobs.popitem(last=False)[1].stop.set()
        job.ended.wait(patience)
        with self._lock:
            job.waiting -= 1
            job.asked = monotonic()
        return job

    def forget(self, key: Hashable) -> None:
        """Let the work of a key begin anew when it is next asked for."""
        with self._lock:
            self._jobs.pop(key, None)

    def known(self, key: Hashable) -> Job | None:
        """Return the job of a key; None where nobody began it."""
        with self._lock:
            return self._jobs.get(key)


def _do(job: Job, work: Callable[[Told], Any]) -> None:
    try:
        job.found = work(job.told)
    except WideforkError as fault:
        job.fault = fault
    except Exception as fault:  # whoever waits is told, rather than left waiting
        job.fault = WideforkError(f"The work broke off: {fault}")
        raise
    finally:
        job.ended.set()


def left_words(seconds: float) -> str:
    """Return how long is left; nothing while nobody can say, or it is a moment."""
    if not isfinite(seconds) or seconds < 1:
        return ""
    if seconds < 90:
        return f"about {seconds:.0f} second{'' if round(seconds) == 1 else 's'} left"
    return f"about {seconds / 60:.0f} minutes left"
