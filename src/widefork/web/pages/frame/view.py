"""The frame of a model as plain data: what there is, and what uses it."""

from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass

from widefork.core.axes import Dimension, Month
from widefork.core.graph.model import Model
from widefork.core.language.parse import parse
from widefork.core.language.syntax import At, names_in, walk
from widefork.core.language.units import UnitForm, read_unit
from widefork.web.shared.context import View

CURVE_WIDTH, CURVE_HEIGHT, CURVE_PAD = 420.0, 96.0, 14.0
BAR_WIDTH = 420.0
MONTH_NAMES = ("Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec")


@dataclass(frozen=True)
class MemberRow:
    """A member; ``attributes`` in the order of the dimension's columns; ``uses`` says what is about it."""

    name: str
    attributes: tuple[str, ...]
    uses: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class DimensionPart:
    """A dimension with its members as a register: a row each, a column for each attribute."""

    name: str
    label: str
    columns: tuple[str, ...]
    members: tuple[MemberRow, ...]
    lines: int


@dataclass(frozen=True, kw_only=True)
class ProfilePart:
    """A curve by age; ``points`` are (x, y, text)."""

    name: str
    label: str
    words: str
    path: str
    points: tuple[tuple[float, float, str], ...]
    per_unit: float
    uses: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class FlagPart:
    """A flag or counter; ``spans`` are (x, width) of the months it marks."""

    name: str
    label: str
    first: str
    last: str
    months: str
    counts: bool
    note: str
    spans: tuple[tuple[float, float], ...]
    uses: tuple[str, ...]


@dataclass(frozen=True, kw_only=True)
class UnitPart:
    """A unit of lines; ``one`` and ``decimals`` only where the model says so, ``usual_one`` what it is otherwise."""

    many: str
    one: str
    usual_one: str
    decimals: str
    lines: int


@dataclass(frozen=True, kw_only=True)
class FramePart:
    """The whole page."""

    name: str
    currency: str
    start: str
    months: int
    end: str
    fiscal_year_start: int
    last_actual: str
    next_boundary: str
    next_boundary_label: str
    longer: tuple[tuple[str, int], ...]
    is_start_fixed: bool
    dimensions: tuple[DimensionPart, ...]
    profiles: tuple[ProfilePart, ...]
    flags: tuple[FlagPart, ...]
    units: tuple[UnitPart, ...]
    other_units: tuple[UnitPart, ...]
    boundary_x: float
    years: tuple[tuple[float, str], ...]


def build(view: View) -> FramePart:
    """Return the page."""
    model = view.snapshot.stored.model
    timeline = model.timeline
    following = timeline.first_plan if timeline.actual_count < timeline.month_count else None
    step = BAR_WIDTH / timeline.month_count
    starts = {period.first: period.label for period in timeline.fiscal_years()}
    units = _units(view)
    return FramePart(
        name=model.name,
        currency=model.currency,
        start=timeline.start.label,
        months=timeline.month_count,
        end=timeline.end.label,
        fiscal_year_start=timeline.fiscal_year_start,
        last_actual=timeline.last_actual.label if timeline.last_actual is not None and timeline.actual_count else "",
        next_boundary=str(following) if following else "",
        next_boundary_label=following.label if following else "",
        longer=tuple(
            (f"{years} year{'s' if years > 1 else ''} longer", timeline.month_count + 12 * years)
            for years in (1, 2)
            if timeline.month_count + 12 * years <= 240
        ),
        is_start_fixed=any(line.actuals or line.history for line in model.lines),
        dimensions=tuple(_dimension(model, dimension) for dimension in model.dimensions),
        profiles=tuple(_profile(model, place) for place in range(len(model.profiles))),
        flags=tuple(_flag(model, place) for place in range(len(model.flags))),
        units=tuple(unit for unit in units if unit.one or unit.decimals),
        other_units=tuple(unit for unit in units if not unit.one and not unit.decimals),
        boundary_x=round(timeline.actual_count * step, 1),
        years=tuple((round(timeline.index(month) * step, 1), label) for month, label in starts.items()),
    )


def _units(view: View) -> tuple[UnitPart, ...]:
    """The units of the model's lines, those of one word first, which alone have one and many."""
    model, own = view.snapshot.stored.model, {unit.many: unit for unit in view.snapshot.stored.model.units}
    counts = Counter(line.unit for line in view.snapshot.model.lines if line.unit)
    found = []
    for many in sorted({*counts, *own}, key=lambda unit: (not unit.isalpha(), unit == model.currency, unit.lower())):
        unit = own.get(many, UnitForm(many))
        usual = str(read_unit(many)) if many.isalpha() else ""
        decimals = "" if unit.decimals is None else str(unit.decimals)
        found.append(UnitPart(many=many, one=unit.one, usual_one=usual, decimals=decimals, lines=counts[many]))
    return tuple(found)


def _dimension(model: Model, dimension: Dimension) -> DimensionPart:
    columns = list(dict.fromkeys(key for known in dimension.attributes.values() for key in known))
    return DimensionPart(
        name=dimension.name,
        label=dimension.label or dimension.name,
        columns=tuple(columns),
        members=tuple(
            MemberRow(
                member,
                tuple(_shown(dimension.attributes.get(member, {}).get(key, "")) for key in columns),
                tuple(uses_of(model, dimension, member)),
            )
            for member in dimension
        ),
        lines=sum(dimension.name in line.dimensions for line in model.lines),
    )


def _shown(value: str | float) -> str:
    return value if isinstance(value, str) else f"{value:.10g}"


def uses_of(model: Model, dimension: Dimension, member: str) -> Iterator[str]:
    """Say what is about a member, in words: what would go with it, and what must be changed before."""
    for line in model.lines:
        if dimension.name in line.dimensions:
            place = line.dimensions.index(dimension.name)
            rules = sum(bool(key) and key[place] == member for key in line.rules)
            actuals = sum(bool(key) and key[place] == member for key in line.actuals)
            if rules or actuals:
                yield f"{line.label}: " + " and ".join(
                    words for count, words in ((rules, "its rule"), (actuals, "its actuals")) if count
                )
        if line.formula is not None and _names_member(model, line.formula, dimension.name, member):
            yield f"{line.label}: its formula names {member}"
    for case in model.cases:
        count = sum((dimension.name, member) in change.members for change in case.changes)
        if count:
            yield f"{case.label}: {count} change{'s' if count > 1 else ''}"
    for move in model.moves:
        if any((dimension.name, member) in change.members for change in move.changes):
            yield f"{move.label}: its changes"
    for figure in model.figures:
        if member in figure.members:
            yield f"{figure.label}: a figure of it"


def _names_member(model: Model, formula: str, dimension: str, member: str) -> bool:
    try:
        pieces = list(walk(parse(formula)))
    except ValueError:
        return False
    return any(
        isinstance(piece, At)
        and piece.member == member
        and piece.name in model.line_by_name
        and dimension in model.line_by_name[piece.name].dimensions
        for piece in pieces
    )


def _users(model: Model, name: str) -> tuple[str, ...]:
    found = []
    for line in model.lines:
        try:
            needs = names_in(parse(line.formula)) if line.formula is not None else ()
        except ValueError:
            needs = ()
        if name in needs:
            found.append(line.label)
    return tuple(found)


def _profile(model: Model, place: int) -> ProfilePart:
    profile = model.profiles[place]
    values = profile.values
    top, low = max(1.0, *values), min(0.0, *values)
    per_unit = (CURVE_HEIGHT - 2 * CURVE_PAD) / (top - low)
    step = (CURVE_WIDTH - 2 * CURVE_PAD) / max(1, len(values) - 1)
    points = tuple(
        (
            round(CURVE_PAD + age * step, 1),
            round(CURVE_HEIGHT - CURVE_PAD - (value - low) * per_unit, 1),
            f"{value * 100:.6g}",
        )
        for age, value in enumerate(values)
    )
    return ProfilePart(
        name=profile.name,
        label=profile.label or profile.name,
        words=", ".join(f"{value * 100:.6g} %" for value in values),
        path="M" + "L".join(f"{x} {y}" for x, y, _ in points) + f"H{CURVE_WIDTH}",
        points=points,
        per_unit=per_unit / 100,
        uses=_users(model, profile.name),
    )


def _flag(model: Model, place: int) -> FlagPart:
    flag = model.flags[place]
    timeline = model.timeline
    step = BAR_WIDTH / timeline.month_count
    spans: list[tuple[int, int]] = []
    for index, month in enumerate(timeline.months):
        if flag.marks(month):
            if spans and sum(spans[-1]) == index:
                spans[-1] = (spans[-1][0], spans[-1][1] + 1)
            else:
                spans.append((index, 1))
    return FlagPart(
        name=flag.name,
        label=flag.label or flag.name,
        first=_label(flag.first),
        last=_label(flag.last),
        months=", ".join(MONTH_NAMES[month - 1] for month in flag.months_of_year),
        counts=flag.counts,
        note=flag.note,
        spans=tuple((round(first * step, 1), round(count * step, 1)) for first, count in spans),
        uses=_users(model, flag.name),
    )


def _label(month: Month | None) -> str:
    return month.label if month is not None else ""
