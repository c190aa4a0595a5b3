"""The rows of receipts and payments, by kind or line by line, down to cash and the room above the lowest level."""

from dataclasses import dataclass, replace

import numpy as np

from widefork.core.analysis.waterline import KINDS, Kind, lines_of
from widefork.core.axes import Period
from widefork.core.graph.rollup import roll_up
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Cell, Columns, cells_of
from widefork.web.shared.workspace import Snapshot


@dataclass(frozen=True, kw_only=True)
class Row:
    """A row of the table.

    Parameters
    ----------
    look : ``subtotal``, ``total``, ``depth0`` for a kind, ``depth1`` for a line in it, ``note`` for liquidity.
    less : it is taken away. fold : address that opens or closes its lines; empty for none.
    act : address at which something can be done about it; empty where nothing can. chosen : it is being acted on.
    """

    name: str
    label: str
    look: str
    less: bool
    cells: tuple[Cell, ...]
    fold: str = ""
    is_open: bool = False
    act: str = ""
    chosen: bool = False


def build_rows(view: View, table: Columns, fold: frozenset[str], act: str) -> tuple[Row, ...]:
    """Return the table's rows: what comes in and goes out by kind, and where that leaves cash."""
    model = view.snapshot.model
    rows = [_sums(view, table, "Cash after overdraft, start", _opening(view, table), "depth0")]
    for is_receipt, label in ((True, "Comes in"), (False, "Goes out")):
        kinds = [kind for kind in KINDS if kind.is_receipt is is_receipt]
        body: list[Row] = []
        total = np.zeros(len(table.all))
        for kind in kinds:
            values = rolled(view, kind.name, table.all)
            total = total + values
            if np.abs(np.nan_to_num(view.snapshot.results.values(kind.name), nan=1.0)).max() < formats.RESIDUE:
                continue
            body += _kind_rows(view, table, kind, fold, act)
        rows += [*body, _sums(view, table, label, total, "subtotal")]
    rows.append(_line(view, table, "cash_after_overdraft", "Cash after overdraft, end", "total"))
    rows.append(_line(view, table, "waterline", "Lowest level allowed", "depth0"))
    rows.append(_narrowest(view, table))
    rows.append(_line(view, table, "cash", "Cash in the bank", "note"))
    undrawn = rolled(view, "overdraft_limit", table.all) - rolled(view, "overdraft", table.all)
    rows.append(_sums(view, table, "Overdraft not drawn", undrawn, "note"))
    if np.nan_to_num(view.snapshot.results.series("not_funded", (), view.place)).max(initial=0.0) > formats.RESIDUE:
        has_rate = any(given.kind == "overdraft" for given in model.schedules)
        label = "Not funded, at the overdraft's rate" if has_rate else "Not funded, at 0 %: no overdraft says a rate"
        rows.append(_line(view, table, "not_funded", label, "note"))
    under_way = np.zeros(len(table.all))
    for name in model.liquidity.under_way:
        under_way = under_way + rolled(view, f"{name}_balance", table.all)
    rows.append(_sums(view, table, "Money under way to the bank", under_way, "note"))
    rows.append(_line(view, table, "deposits", "Deposits not available", "note"))
    return tuple(rows)


def _kind_rows(view: View, table: Columns, kind: Kind, fold: frozenset[str], act: str) -> list[Row]:
    lines = lines_of(kind, view.snapshot.model)
    is_open = kind.name in fold
    address = view.address.url(fold=",".join(sorted(fold ^ {kind.name})) or None)
    can_open = bool(lines)
    head = Row(
        name=kind.name,
        label=kind.label,
        look="depth0",
        less=not kind.is_receipt,
        cells=cells_of(view, kind.name, table),
        fold=address if can_open else "",
        is_open=is_open,
    )
    if not is_open:
        return [head]
    body = []
    for line in lines:
        can_act = view.snapshot.model.timeline.first_plan <= view.snapshot.model.timeline.end
        url = view.address.url(act=line.name, add=None) if can_act and not _is_unexplained(line.name) else ""
        cells = cells_of(view, line.name, table)
        body.append(
            Row(
                name=line.name,
                label=line.label,
                look="depth1",
                less=False,
                cells=cells,
                act=url,
                chosen=line.name == act,
            )
        )
    return [head, *body]


def _is_unexplained(name: str) -> bool:
    return name.endswith("_unexplained") or name.startswith("unexplained_")


def rolled(view: View, name: str, periods: tuple[Period, ...]) -> np.ndarray:
    """Return a line of the active case over periods."""
    return np.asarray(roll_up(view.snapshot.results, name, periods)[:, view.place])


def _opening(view: View, table: Columns) -> np.ndarray:
    cash = view.snapshot.results.series("cash_after_overdraft", (), view.place)
    timeline = view.snapshot.model.timeline
    opening = view.snapshot.model.line("cash_after_overdraft").opening
    places = [timeline.index(period.first) for period in table.all]
    return np.array([cash[place - 1] if place else opening for place in places])


def _line(view: View, table: Columns, name: str, label: str, look: str) -> Row:
    return Row(name=name, label=label, look=look, less=False, cells=cells_of(view, name, table))


def _narrowest(view: View, table: Columns) -> Row:
    """Room above the lowest level; of a quarter or year that of its narrowest month, which its end would hide."""

    def least(snapshot: Snapshot, place: int) -> list[float]:
        room, timeline = snapshot.results.series("headroom", (), place), snapshot.model.timeline
        return [float(room[timeline.span(period.first, period.last)].min(initial=np.inf)) for period in table.all]

    unit, earlier = view.snapshot.model.currency, view.before
    now = least(view.snapshot, view.place)
    was = now
    if earlier is not None and view.address.case in earlier.case_names:
        was = least(earlier, earlier.place(view.address.case))
    cells = []
    for cell, value, old in zip(cells_of(view, "headroom", table), now, was, strict=True):
        text, before = formats.cell(value, unit), formats.cell(old, unit)
        cell = replace(cell, value=value, text=text, before="", moved="")
        if before != text and np.isfinite(old):
            cell = replace(cell, before=before, moved=formats.signed(value - old, unit))
        cells.append(cell)
    is_rolled = any(len(period) > 1 for period in table.all)
    label = "Room above it, narrowest month" if is_rolled else "Room above it"
    return Row(name="headroom", label=label, look="subtotal", less=False, cells=tuple(cells))


def _sums(view: View, table: Columns, label: str, values: np.ndarray, look: str) -> Row:
    unit = view.snapshot.model.currency
    key = label.lower().replace(" ", "-")
    cells = tuple(
        Cell(
            id=f"w-{key}-{column.key}",
            value=float(value),
            text=formats.cell(float(value), unit),
            before="",
            moved="",
            url="",
            column=column,
        )
        for column, value in zip(table.columns, values, strict=True)
    )
    return Row(name=key, label=label, look=look, less=False, cells=cells)
