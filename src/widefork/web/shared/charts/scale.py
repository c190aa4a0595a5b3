"""Values to pixels, and round ticks."""

from collections.abc import Sequence
from dataclasses import dataclass
from math import ceil, floor, isfinite, log10

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, kw_only=True)
class Scale:
    """A straight map from values ``low``..``high`` to pixels ``start``..``end``."""

    low: float
    high: float
    start: float
    end: float

    def __call__(self, value: float) -> float:
        """Return the pixel of a value, to a tenth."""
        span = self.high - self.low or 1.0
        return round(self.start + (value - self.low) / span * (self.end - self.start), 1)

    def of(self, values: NDArray[np.float64]) -> list[float]:
        """Return the pixels of many values, to a tenth; what is not finite stays so."""
        span = self.high - self.low or 1.0
        pixels: list[float] = np.round(self.start + (values - self.low) / span * (self.end - self.start), 1).tolist()
        return pixels


def round_ticks(low: float, high: float, about: int = 5) -> tuple[float, ...]:
    """Return round values covering a range, ends included."""
    if not (isfinite(low) and isfinite(high)):
        return (0.0, 1.0)
    if low == high:
        low, high = (low - 1, high + 1) if low == 0 else (min(0.0, low), max(0.0, high))
    rough = (high - low) / max(1, about)
    power = 10.0 ** floor(log10(rough))
    step = next(m * power for m in (1, 2, 2.5, 5, 10) if m * power >= rough * 0.999)
    first, last = floor(low / step + 1e-9), ceil(high / step - 1e-9)
    return tuple(round(n * step, 10) for n in range(int(first), int(last) + 1))


def path(points: Sequence[tuple[float, float]]) -> str:
    """Return an SVG path through points; a point that is not finite breaks the line."""
    text: list[str] = []
    pen_down = False
    for x, y in points:
        if not (isfinite(x) and isfinite(y)):
            pen_down = False
            continue
        text.append(f"{'L' if pen_down else 'M'}{x:g} {y:g}")
        pen_down = True
    return "".join(text)
