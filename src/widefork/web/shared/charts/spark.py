"""A figure's months as a small line."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.web.shared.charts.scale import Scale, path

WIDTH, HEIGHT = 58, 22


@dataclass(frozen=True, kw_only=True)
class Spark:
    """Paths now and (where something was changed) before, the zero line, and the month that answers."""

    now: str
    before: str
    zero_y: float | None
    mark: tuple[float, float] | None


def spark(now: NDArray[np.float64], before: NDArray[np.float64] | None, marked: int | None) -> Spark:
    """Return a small line of shape (months,) values; ``marked`` is the place of the month that answers."""
    both = np.concatenate([now, before]) if before is not None else now
    finite = both[np.isfinite(both)]
    if finite.size == 0:
        return Spark(now="", before="", zero_y=None, mark=None)
    low, high = float(finite.min()), float(finite.max())
    y = Scale(low=low, high=high if high > low else low + 1, start=HEIGHT - 2, end=2)
    x = Scale(low=0, high=max(1, len(now) - 1), start=1, end=WIDTH - 1)

    def draw(values: NDArray[np.float64]) -> str:
        return path(list(zip(x.of(np.arange(len(values), dtype=float)), y.of(values), strict=True)))

    mark = (x(marked), y(float(now[marked]))) if marked is not None and np.isfinite(now[marked]) else None
    return Spark(
        now=draw(now),
        before=draw(before) if before is not None else "",
        zero_y=y(0.0) if low < 0 < high else None,
        mark=mark,
    )
