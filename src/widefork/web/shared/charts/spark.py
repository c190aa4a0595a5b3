"""A figure's months as a small line."""

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from widefork.web.shared.charts.scale import Scale, path

WIDTH, HEIGHT = 58, 22


@dataclass(frozen=True)
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
        return Spark("", "", None, None)
    low, high = float(finite.min()), float(finite.max())
    y = Scale(low, high if high > low else low + 1, HEIGHT - 2, 2)
    x = Scale(0, max(1, len(now) - 1), 1, WIDTH - 1)

    def draw(values: NDArray[np.float64]) -> str:
        return path([(x(i), y(float(v)) if np.isfinite(v) else float("nan")) for i, v in enumerate(values)])

    mark = (x(marked), y(float(now[marked]))) if marked is not None and np.isfinite(now[marked]) else None
    return Spark(draw(now), draw(before) if before is not None else "", y(0.0) if low < 0 < high else None, mark)
