"""The bars above the table: each kind of receipt or payment in its column."""

from dataclasses import dataclass

import numpy as np

from widefork.core.analysis.waterline import KINDS
from widefork.web.pages.waterline.rows import rolled
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Columns

LABEL_WIDTH = 218
BARS_HEIGHT, BAR_WIDTH = 92, 30


@dataclass(frozen=True, kw_only=True)
class Bar:
    """One kind in one column: where its bar stands, and what it says."""

    x: float
    y: float
    height: float
    words: str
    shade: int
    is_receipt: bool
    url: str


def build_bars(view: View, table: Columns, step: int, fold: frozenset[str]) -> tuple[tuple[Bar, ...], float]:
    """Return receipts above and payments below one line, stacked by kind in each column; and that line's height."""
    model = view.snapshot.model
    heights = {kind.name: rolled(view, kind.name, table.periods) for kind in KINDS}
    up, down = np.zeros(len(table.periods)), np.zeros(len(table.periods))
    for kind in KINDS:
        values = np.nan_to_num(heights[kind.name]) * kind.sign
        up += np.maximum(values, 0)
        down += np.maximum(-values, 0)
    size = float(up.max() + down.max()) if len(up) else 0.0
    if not size:
        return (), BARS_HEIGHT / 2
    scale = (BARS_HEIGHT - 4) / size
    zero = 2 + float(up.max()) * scale
    bars = []
    tops, bottoms = np.full(len(up), zero), np.full(len(up), zero)
    for shade, kind in enumerate(KINDS):
        url = view.address.url(fold=",".join(sorted(fold | {kind.name}))) + f"#row-{kind.name}"
        for place, value in enumerate(np.nan_to_num(heights[kind.name]) * kind.sign):
            height = abs(float(value)) * scale
            if height < 0.3:
                continue
            is_up = value > 0
            y = tops[place] - height if is_up else bottoms[place]
            tops[place] -= height if is_up else 0
            bottoms[place] += 0 if is_up else height
            words = f"{kind.label}, {table.columns[place].label}: {formats.amount(abs(float(value)), model.currency)}"
            x = LABEL_WIDTH + step * place + (step - BAR_WIDTH) / 2
            bars.append(
                Bar(
                    x=x,
                    y=round(float(y), 1),
                    height=round(height, 1),
                    words=words,
                    shade=shade % 3,
                    is_receipt=bool(is_up),
                    url=url,
                )
            )
    return tuple(bars), round(zero, 1)
