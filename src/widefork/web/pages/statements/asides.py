"""What may stand beside each figure: its share, its growth, its difference to a year before or to another case."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from math import isfinite, nan

from werkzeug.datastructures import MultiDict

from widefork.core.axes import Period
from widefork.core.finance.statements import CAPTION_BY_NAME, Statement
from widefork.core.graph.rollup import roll_up
from widefork.store.seals import Seal
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.period_table import Columns, values_of
from widefork.web.shared.workspace import Snapshot


@dataclass(frozen=True, kw_only=True)
class Asked:
    """What an address asks of a statement.

    Parameters
    ----------
    beside : what stands beside each figure; empty for nothing. scale : currency is shown in so many units.
    folded : rows whose parts are folded away. everything : also rows without any amount.
    seals : the model's. sealed : the one to stand beside; None for none.
    """

    beside: str = ""
    scale: int = 1
    folded: frozenset[str] = frozenset()
    everything: bool = False
    is_arranging: bool = False
    seals: tuple[Seal, ...] = ()
    sealed: Snapshot | None = None


def read_asked(args: "MultiDict[str, str]", seals: tuple[Seal, ...], open_seal: Callable[[int], Snapshot]) -> Asked:
    """Return what an address asks; what it says wrongly takes its usual value."""
    word = args.get("beside", "")
    chosen = next((seal for seal in seals if word == f"seal-{seal.id}"), None)
    scale = args.get("scale", "")
    return Asked(
        beside=word,
        scale=int(scale) if scale in ("1000", "1000000") else 1,
        folded=frozenset(name for name in args.get("fold", "").split(",") if name),
        everything=args.get("all") == "yes",
        is_arranging=args.get("arrange") == "yes",
        seals=seals,
        sealed=open_seal(chosen.id) if chosen is not None else None,
    )


@dataclass(frozen=True)
class Aside:
    """One kind of aside, over a line and its columns."""

    label: str
    cells: Callable[[str, Columns], tuple[str, ...]]


def asides(view: View, asked: Asked) -> Iterator[tuple[str, str]]:
    """Return what can stand beside, as (word in the address, label)."""
    yield "share", "% of revenue, or of assets"
    yield "growth", "growth on the column before"
    yield "last_year", "difference to a year before"
    for case in view.snapshot.model.cases:
        if case.name != view.address.case:
            yield f"case-{case.name}", f"difference to {case.label}"
    for seal in asked.seals:
        yield f"seal-{seal.id}", f"difference to “{seal.name}”, sealed {seal.sealed_at[:10]}"


def aside_of(view: View, asked: Asked) -> Aside | None:
    """Return the aside an address asks for; None for none."""
    labels, word = dict(asides(view, asked)), asked.beside
    if word not in labels:
        return None
    if word.startswith("case-"):
        other = view.snapshot.place(word.removeprefix("case-"))
        short = labels[word].replace("difference ", "")
        return Aside(short, lambda name, table: _to_case(view, name, table, other, asked.scale))
    if word.startswith("seal-") and asked.sealed is not None:
        sealed = asked.sealed
        return Aside("to seal", lambda name, table: _to_seal(view, name, table, sealed, asked.scale))
    if word == "last_year":
        return Aside("to year before", lambda name, table: _last_year(view, name, table, asked.scale))
    make = {"share": _share, "growth": _growth}[word]
    return Aside(word, lambda name, table: make(view, name, table))


def _whole(view: View, name: str) -> str:
    """What a line is a share of: assets for balances, revenue for all else."""
    caption = CAPTION_BY_NAME.get(name)
    line = view.snapshot.model.line(name)
    is_balance = caption.statement is Statement.BALANCE if caption is not None else not line.is_flow
    return "total_assets" if is_balance else "revenue"


def _share(view: View, name: str, table: Columns) -> tuple[str, ...]:
    wholes = values_of(view, _whole(view, name), table.all)
    parts = values_of(view, name, table.all)
    return tuple(_percent(part / whole) if whole else "" for part, whole in zip(parts, wholes, strict=True))


def _percent(value: float) -> str:
    return f"{formats.plain_number(value * 100, 1)} %" if isfinite(value) and value else ""


def _earlier(view: View, period: Period, months: int) -> Period | None:
    """The period so many months before; None where it or this one is not all there."""
    if period.is_cut:
        return None
    first, last = period.first.plus(-months), period.last.plus(-months)
    return Period("", "", first, last) if first >= view.snapshot.model.timeline.start else None


def _values_before(view: View, name: str, table: Columns, months: int | None) -> list[float]:
    """Each column's value so many months before, or one column before; NaN before the model begins."""
    found = []
    for period in table.all:
        earlier = _earlier(view, period, len(period) if months is None else months)
        found.append(values_of(view, name, [earlier])[0] if earlier is not None else nan)
    return found


def _growth(view: View, name: str, table: Columns) -> tuple[str, ...]:
    now, before = values_of(view, name, table.all), _values_before(view, name, table, None)
    return tuple(
        f"{formats.plain_number((value / was - 1) * 100, 1)} %".replace("-", formats.MINUS)
        if isfinite(was) and was > 0 and value > 0
        else ""
        for value, was in zip(now, before, strict=True)
    )


def _last_year(view: View, name: str, table: Columns, scale: int) -> tuple[str, ...]:
    now, before = values_of(view, name, table.all), _values_before(view, name, table, 12)
    unit = view.snapshot.model.line(name).unit
    return tuple(_difference((value - was) / scale, unit) for value, was in zip(now, before, strict=True))


def _to_case(view: View, name: str, table: Columns, other: int, scale: int) -> tuple[str, ...]:
    rolled = roll_up(view.snapshot.results, name, table.all)
    unit = view.snapshot.model.line(name).unit
    return tuple(_difference(float(value) / scale, unit) for value in rolled[:, view.place] - rolled[:, other])


def _to_seal(view: View, name: str, table: Columns, sealed: Snapshot, scale: int) -> tuple[str, ...]:
    """The difference to the same case of a sealed copy; nothing where it has no such row, case or month."""
    known = sealed.model.line_by_name.get(name)
    if known is None or view.address.case not in sealed.case_names:
        return ("",) * len(table.all)
    place, timeline = sealed.place(view.address.case), sealed.model.timeline
    found = []
    for period, value in zip(table.all, values_of(view, name, table.all), strict=True):
        if period.first < timeline.start or period.last > timeline.end:
            found.append("")
            continue
        then = float(roll_up(sealed.results, name, [period])[0, place])
        found.append(_difference((value - then) / scale, known.unit))
    return tuple(found)


def _difference(value: float, unit: str) -> str:
    if not isfinite(value) or abs(value) < formats.RESIDUE:
        return ""
    return formats.signed(value, unit).removeprefix("same")
