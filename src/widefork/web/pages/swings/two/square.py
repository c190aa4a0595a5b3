"""The square as plain data: a table at a coarse grid, the goal along its cells, and small squares by case."""

import csv
from dataclasses import dataclass
from io import StringIO
from math import isfinite

import numpy as np
from numpy.typing import NDArray

from widefork.core.analysis.sensitivity import Axis, Square, try_square
from widefork.core.figures import Figure
from widefork.web.pages.swings.two.asked import TwoAsked
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.charts.scale import Scale, path
from widefork.web.shared.context import View
from widefork.web.shared.lever_words import axis_words

SMALL_WIDTH, SMALL_HEIGHT = 208, 112
TINTS = 3
"""Steps of tint: from the goal, or from the least, to the most."""


@dataclass(frozen=True, kw_only=True)
class SquareCell:
    """A place read as a number. ``at`` is its row and column in the square; edges lie between met and missed."""

    text: str
    at: str
    label: str
    kind: str
    is_now: bool
    is_chosen: bool
    edge_right: bool
    edge_below: bool


@dataclass(frozen=True, kw_only=True)
class SmallSquare:
    """One case: pixels of its areas by kind, the line of the goal, and what is met where."""

    case: str
    label: str
    style: int
    now: str
    areas: tuple[tuple[str, str], ...]
    goal: str
    today: tuple[float, float] | None
    chosen: tuple[float, float] | None
    words: str
    width: int
    height: int


@dataclass(frozen=True, kw_only=True)
class TwoAtOnce:
    """The whole tab. ``along`` are (amount across, amount down, is the chosen column)."""

    figure: str
    across: str
    down: str
    heads: tuple[tuple[str, bool], ...]
    rows: tuple[tuple[str, bool, tuple[SquareCell, ...]], ...]
    sentence: str
    count: int
    chosen: str
    chosen_at: str
    chosen_text: str
    along_words: str
    along: tuple[tuple[str, str, bool], ...]
    cases: tuple[tuple[str, str], ...]
    text: str
    is_without_value: bool


def found_square(view: View, asked: TwoAsked, case: str = "") -> Square | None:
    """Return the square of a case, the active one where none is named; kept with the model as it stands.

    Raises
    ------
    InvalidValue: the same assumption on both sides. UnknownName, ChangeRefused: what cannot be changed.
    """
    axes = asked.axes
    if axes is None:
        return None
    across, down = axes
    of = case or view.address.case
    key = ("square", of, asked.figure, tuple(side.lead for side in asked.sides), tuple(s.span for s in asked.sides))
    return view.snapshot.kept(key, lambda: try_square(view.snapshot.plan, of, asked.figure, across, down))


def build_two(view: View, asked: TwoAsked, square: Square) -> TwoAtOnce:
    """Return the tab of a square."""
    model, figure = view.snapshot.model, asked.figure
    across, down = square.across, square.down
    columns, rows = across.coarse, tuple(reversed(down.coarse))
    kinds = _kinds(square, asked)
    chosen = _chosen(asked, square)
    labels = [axis_words(model, across, float(across.amounts[column])) for column in columns]
    table = []
    for place, row in enumerate(rows):
        own = axis_words(model, down, float(down.amounts[row]))
        cells = []
        for at, column in enumerate(columns):
            right = columns[at + 1] if at + 1 < len(columns) else column
            below = rows[place + 1] if place + 1 < len(rows) else row
            value = float(square.values[row, column])
            text = "never" if figure.reduction.gives_month and not isfinite(value) else _text(view, figure, value)
            cells.append(
                SquareCell(
                    text=text,
                    at=f"{row}.{column}",
                    label=f"{across.label} {labels[at]}, {down.label} {own}: {text}",
                    kind=kinds[row, column],
                    is_now=across.amounts[column] == across.now and down.amounts[row] == down.now,
                    is_chosen=(row, column) == chosen,
                    edge_right=_is_edge(kinds, (row, column), (row, right)),
                    edge_below=_is_edge(kinds, (row, column), (below, column)),
                )
            )
        table.append((own, bool(down.amounts[row] == down.now), tuple(cells)))
    along_words, along = _along(view, asked, square, chosen)
    return TwoAtOnce(
        figure=figure.label,
        across=across.label,
        down=down.label,
        heads=tuple(
            (label, bool(across.amounts[column] == across.now)) for label, column in zip(labels, columns, strict=True)
        ),
        rows=tuple(table),
        sentence=_sentence(view, asked, square),
        count=square.values.size,
        chosen=_pair(view, square, chosen) if chosen is not None else "",
        chosen_at=f"{chosen[0]}.{chosen[1]}" if chosen is not None else "",
        chosen_text=_text(view, figure, float(square.values[chosen])) if chosen is not None else "",
        along_words=along_words,
        along=along,
        cases=tuple((case.name, case.label) for case in model.cases),
        text=_as_text(view, square, columns, rows),
        is_without_value=not np.isfinite(square.values).any(),
    )


def _text(view: View, figure: Figure, value: float) -> str:
    return formats.figure_text(figure, view.snapshot.model.line(figure.line), value)


def _chosen(asked: TwoAsked, square: Square) -> tuple[int, int] | None:
    if asked.cell is None:
        return None
    rows, columns = square.values.shape
    return asked.cell if asked.cell[0] < rows and asked.cell[1] < columns else None


def _pair(view: View, square: Square, at: tuple[int, int]) -> str:
    model, (row, column) = view.snapshot.model, at
    across, down = square.across, square.down
    return (
        f"{across.label} {axis_words(model, across, float(across.amounts[column]))}, "
        f"{down.label} {axis_words(model, down, float(down.amounts[row]))}"
    )


def _kinds(square: Square, asked: TwoAsked) -> NDArray[np.str_]:
    """What each place is: ``miss``, ``none``, or ``tint-0`` to ``tint-2`` by how far beyond the goal it is."""
    values = square.values
    kinds = np.full(values.shape, "none", dtype="<U8")
    known = np.isfinite(values)
    if not known.any():
        return kinds
    is_less = asked.sense == "at most" and asked.goal is not None
    low, high = float(values[known].min()), float(values[known].max())
    start = asked.goal if asked.goal is not None else high if is_less else low
    end = low if is_less else high
    span = end - start or 1.0
    step = np.clip(np.floor(np.nan_to_num((values - start) / span) * TINTS), 0, TINTS - 1).astype(int)
    for tint in range(TINTS):
        kinds[known & (step == tint)] = f"tint-{tint}"
    if asked.goal is not None:
        kinds[known & ~square.reaches(asked.goal, asked.sense == "at least")] = "miss"
    return kinds


def _is_edge(kinds: NDArray[np.str_], here: tuple[int, int], there: tuple[int, int]) -> bool:
    return bool((kinds[here] == "miss") != (kinds[there] == "miss")) and "none" not in (kinds[here], kinds[there])


def _sentence(view: View, asked: TwoAsked, square: Square) -> str:
    """Where the goal holds along both sides, each with the other as it is."""
    if asked.goal is None:
        return ""
    goal = f"{asked.sense} {_text(view, asked.figure, asked.goal)}"
    met = square.reaches(asked.goal, asked.sense == "at least")
    if met.all():
        return f"{asked.figure.label} is {goal} everywhere in this square."
    if not met.any():
        return f"{asked.figure.label} is nowhere {goal} in this square. Widen a range, or ask for another goal."
    parts = []
    turned = Square(square.case, square.figure, square.down, square.across, square.values.T)
    for one, fixed, along in ((square.across, square.down, turned), (square.down, square.across, square)):
        place = _now_place(fixed)
        if place is None:
            continue
        own = along.along(asked.goal, asked.sense == "at least")[place]
        column = along.reaches(asked.goal, asked.sense == "at least")[:, place]
        if len(own) == 1:
            holds = "from" if column[-1] else "up to"
            holds = f"{one.label} {holds} {_amount(view, one, own[0], bool(column[-1]))}"
        elif not own:
            holds = f"{'every' if column.all() else 'no'} amount of {one.label}"
        else:
            continue
        parts.append(f"with {fixed.label} as planned for {holds}")
    share = float(met.mean()) * 100
    whole = f"{share:.0f} of 100 places meet the goal."
    return f"It is {goal} {', and '.join(parts)}. {whole}" if parts else whole


def _amount(view: View, axis: Axis, amount: float, is_from: bool) -> str:
    """An amount between two points; of a whole one the first that counts."""
    if axis.is_whole:
        inside = axis.amounts[axis.amounts >= amount] if is_from else axis.amounts[axis.amounts <= amount]
        amount = float(inside[0] if is_from else inside[-1]) if inside.size else amount
    return axis_words(view.snapshot.model, axis, amount)


def _now_place(axis: Axis) -> int | None:
    places = np.flatnonzero(axis.amounts == axis.now)
    return int(places[0]) if places.size else None


def _along(
    view: View, asked: TwoAsked, square: Square, chosen: tuple[int, int] | None
) -> tuple[str, tuple[tuple[str, str, bool], ...]]:
    """How much of one it takes for every amount of the other."""
    if asked.goal is None:
        return "", ()
    crossings = square.along(asked.goal, asked.sense == "at least")
    met = square.reaches(asked.goal, asked.sense == "at least")
    found, senses = [], set()
    for column in square.across.coarse:
        own, is_from = crossings[column], bool(met[-1, column])
        if len(own) == 1:
            senses.add(is_from)
            words = _amount(view, square.down, own[0], is_from)
        else:
            words = "in parts" if own else "always" if met[:, column].all() else "never"
        amount = axis_words(view.snapshot.model, square.across, float(square.across.amounts[column]))
        found.append((amount, words, chosen is not None and chosen[1] == column))
    how = "passes it at" if len(senses) != 1 else "at least" if True in senses else "at most"
    return f"{square.down.label} {how}", tuple(found)


def _as_text(view: View, square: Square, columns: tuple[int, ...], rows: tuple[int, ...]) -> str:
    """The table for a spreadsheet: numbers with all their digits."""
    grid = _grid(view, square, columns, rows)
    return "\n".join("\t".join(row) for row in grid)


def _grid(view: View, square: Square, columns: tuple[int, ...], rows: tuple[int, ...]) -> list[list[str]]:
    model, figure = view.snapshot.model, square.figure
    across, down = square.across, square.down
    heads = [axis_words(model, across, float(across.amounts[column])) for column in columns]
    found = [[f"{down.label} / {across.label}", *heads]]
    for row in rows:
        values = [float(square.values[row, column]) for column in columns]
        if figure.reduction.gives_month:
            shown = [_text(view, figure, value) for value in values]
        else:
            shown = [repr(value) if isfinite(value) else "" for value in values]
        found.append([axis_words(model, down, float(down.amounts[row])), *shown])
    return [[cell.replace(formats.MINUS, "-") for cell in row] for row in found]


def square_csv(view: View, square: Square) -> str:
    """Return all places of a square, one row for each amount down, the highest first."""
    text = StringIO()
    rows = tuple(reversed(range(len(square.down.amounts))))
    csv.writer(text, lineterminator="\n").writerows(_grid(view, square, tuple(range(len(square.across.amounts))), rows))
    return text.getvalue()


def build_small(view: View, asked: TwoAsked, square: Square, case: str) -> SmallSquare:
    """Return a case's square in small: its areas, the line of the goal, today and the place chosen."""
    model = view.snapshot.model
    across, down = square.across, square.down
    kinds = _kinds(square, asked)
    x, y = _edges(across.amounts, SMALL_WIDTH, False), _edges(down.amounts, SMALL_HEIGHT, True)
    across_scale = _mid_scale(x, across.amounts)
    down_scale = _mid_scale(y, down.amounts)
    lines = square.contour(asked.goal) if asked.goal is not None else ()
    points = "".join(path([(across_scale(float(a)), down_scale(float(d))) for a, d in line]) for line in lines)
    chosen, now = _chosen(asked, square), (_now_place(down), _now_place(across))
    value = _now_value(square, now)
    return SmallSquare(
        case=case,
        label=model.case(case).label,
        style=style_of(view.snapshot.place(case)),
        now=_text(view, asked.figure, value) if value is not None else "",
        areas=_areas(kinds, x, y),
        goal=points,
        today=(across_scale(across.now), down_scale(down.now)) if None not in now else None,
        chosen=(across_scale(float(across.amounts[chosen[1]])), down_scale(float(down.amounts[chosen[0]])))
        if chosen is not None else None,
        words=_met_words(asked, square),
        width=SMALL_WIDTH,
        height=SMALL_HEIGHT,
    )  # fmt: skip


def _now_value(square: Square, now: tuple[int | None, int | None]) -> float | None:
    row, column = now
    return float(square.values[row, column]) if row is not None and column is not None else None


def _met_words(asked: TwoAsked, square: Square) -> str:
    if asked.goal is None:
        return ""
    met = square.reaches(asked.goal, asked.sense == "at least")
    if met.all():
        return "Met everywhere."
    return f"{float(met.mean()) * 100:.0f} of 100 places meet it." if met.any() else "Met nowhere."


def _edges(amounts: NDArray[np.float64], size: int, is_up: bool) -> list[float]:
    """The pixels between which each amount's stripe lies: half-way to its neighbours."""
    middles = (amounts[1:] + amounts[:-1]) / 2
    edges = np.concatenate([[amounts[0]], middles, [amounts[-1]]])
    scale = Scale(low=float(amounts[0]), high=float(amounts[-1]), start=size if is_up else 0, end=0 if is_up else size)
    return scale.of(edges)


def _mid_scale(edges: list[float], amounts: NDArray[np.float64]) -> Scale:
    return Scale(low=float(amounts[0]), high=float(amounts[-1]), start=edges[0], end=edges[-1])


def _areas(kinds: NDArray[np.str_], x: list[float], y: list[float]) -> tuple[tuple[str, str], ...]:
    """Rectangles by kind, those beside one another in a row as one."""
    found: dict[str, list[str]] = {}
    for row in range(kinds.shape[0]):
        start = 0
        top, height = min(y[row], y[row + 1]), abs(y[row + 1] - y[row])
        for column in range(1, kinds.shape[1] + 1):
            if column == kinds.shape[1] or kinds[row, column] != kinds[row, start]:
                width = x[column] - x[start]
                shape = f"M{x[start]:g} {top:g}h{width:.4g}v{height:.4g}h{-width:.4g}z"
                found.setdefault(str(kinds[row, start]), []).append(shape)
                start = column
    return tuple((kind, "".join(shapes)) for kind, shapes in sorted(found.items()))
