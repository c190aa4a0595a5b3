"""Moves by case, as plain data: where each is on, from when and how strongly, and what it does to a figure."""

from dataclasses import dataclass
from math import isfinite, isnan

from widefork.core.analysis.effects import Effect, Effects, move_effects
from widefork.core.changes import Case, Layer, Move, Switch
from widefork.core.figures import Figure, Reduction
from widefork.web.pages.cases.moves.panel import Panel, build_panel
from widefork.web.pages.cases.reading import Reading
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of

BAR = 44
"""Half the width bars are drawn in, each way from nothing."""
PEOPLE = "people"
COSTS = ("cost_of_sales", "people_costs", "premises_costs", "marketing_costs", "administration_costs")


@dataclass(frozen=True, kw_only=True)
class MoveCell:
    """A move in a case.

    Parameters
    ----------
    state : on, inherited, dropped, off or idle. does : what pressing it does.
    order : its place among what the case does, empty where it is not on. words : where they differ from the move's
        own, its start and strength.
    """

    case: str
    case_label: str
    style: int
    state: str
    order: str
    words: str
    does: str
    title: str
    is_active: bool


@dataclass(frozen=True, kw_only=True)
class EffectBar:
    """An effect as text and as a bar from the middle; ``kind`` is adds, takes or nothing."""

    text: str
    x: float
    width: float
    kind: str
    upright: float | None = None


@dataclass(frozen=True, kw_only=True)
class MoveRow:
    """A move over all cases, with its effects in the active one.

    ``group`` is what it excludes others by, with ``opens`` and ``closes`` at the first and last row of it.
    """

    name: str
    label: str
    note: str
    about: str
    start: str
    group: str
    opens: bool
    closes: bool
    cells: tuple[MoveCell, ...]
    given_others: EffectBar | None
    alone: str
    heads: str
    cost: str
    is_on: bool
    is_open: bool
    url: str


@dataclass(frozen=True, kw_only=True)
class Moves:
    """The whole view.

    Parameters
    ----------
    cases : (name, label, style, is active). figures : to choose from. has_heads : whether there is a plan of people.
    together : what all that are on do at once, and what they would add up to one by one; empty with fewer than two.
    """

    cases: tuple[tuple[str, str, int, bool], ...]
    rows: tuple[MoveRow, ...]
    figure: str
    figure_label: str
    figures: tuple[tuple[str, str], ...]
    has_heads: bool
    heads_words: str
    cost_words: str
    together: tuple[str, str, str]
    panel: Panel | None
    bar: int


def build_moves(reading: Reading, opened: str) -> Moves:
    """Return the view for the chosen figure, with one move opened, or none."""
    model, figure, case = reading.model, reading.figure, reading.case
    plans = [given for given in model.schedules if given.kind == PEOPLE]
    first, last = reading.view.address.first, reading.view.address.last
    heads = [Figure("", "", f"{p.name}_heads", (), first, last, Reduction.VALUE) for p in plans]
    costs = [Figure("", "", name, (), first, last) for name in COSTS]
    asked = (*([figure] if figure is not None else []), *heads, *costs)
    found: tuple[Effects, ...] = ()
    if model.moves:
        found = reading.view.snapshot.kept(
            ("effects", case.name, asked), lambda: move_effects(reading.view.snapshot.plan, case.name, asked)
        )
    shown = found[0] if figure is not None and found else None
    others = found[1:] if figure is not None else found
    in_heads, in_costs = others[: len(heads)], others[len(heads) :]
    years = (last.ordinal - first.ordinal + 1) / 12
    rows = []
    moves = _grouped(model.moves)
    for place, move in enumerate(moves):
        at = model.moves.index(move)
        group = move.group
        rows.append(
            _row(
                reading,
                move,
                shown,
                at,
                _text(sum(each.moves[at].given_others for each in in_heads), "heads") if in_heads else "",
                _text(sum(each.moves[at].given_others for each in in_costs) / years, model.currency),
                bool(group) and (place == 0 or moves[place - 1].group != group),
                bool(group) and (place == len(moves) - 1 or moves[place + 1].group != group),
                opened,
            )
        )
    return Moves(
        cases=tuple((c.name, c.label, style_of(n), c.name == case.name) for n, c in enumerate(model.cases)),
        rows=tuple(rows),
        figure=figure.name if figure else "",
        figure_label=figure.label if figure else "",
        figures=tuple((one.name, one.label) for one in model.figures),
        has_heads=bool(plans),
        heads_words=f"Heads more or fewer in {last.label}, given the others",
        cost_words=f"Operating costs a year more or less, {first.label} to {last.label}, given the others",
        together=_together(reading, shown),
        panel=build_panel(reading, opened, found[0] if shown is not None else None),
        bar=BAR,
    )


def _grouped(moves: tuple[Move, ...]) -> list[Move]:
    """Moves in their order, those that exclude one another behind the first of them."""
    found: list[Move] = []
    for move in moves:
        if move in found:
            continue
        found += [other for other in moves if other is move or (move.group and other.group == move.group)]
    return found


def _text(amount: float, unit: str) -> str:
    if not isfinite(amount):
        return "no value"
    text = formats.signed(amount, unit)
    return "–" if text == "same" else text


def _together(reading: Reading, shown: Effects | None) -> tuple[str, str, str]:
    if shown is None:
        return "", "", ""
    on = [effect for effect in shown.moves if effect.is_on]
    if len(on) < 2 or not isfinite(shown.together) or not isfinite(shown.one_by_one):
        return "", "", ""
    figure, line = shown.figure, reading.model.line(shown.figure.line)
    return (
        f"The {len(on)} that are on in {reading.case.label}",
        formats.figure_difference(figure, line, shown.together),
        formats.figure_difference(figure, line, shown.one_by_one),
    )


def _row(
    reading: Reading,
    move: Move,
    shown: Effects | None,
    place: int,
    heads: str,
    cost: str,
    opens: bool,
    closes: bool,
    opened: str,
) -> MoveRow:
    effect = shown.moves[place] if shown is not None else None
    parts = (move.owner, move.status.value, f"{len(move.changes)} change{'' if len(move.changes) == 1 else 's'}")
    url = reading.view.address.url(move="" if move.name == opened else move.name)
    return MoveRow(
        name=move.name,
        label=move.label,
        note=move.note,
        about=", ".join(part for part in parts if part),
        start=move.start.label,
        group=move.group,
        opens=opens,
        closes=closes,
        cells=tuple(_cell(reading, move, case, number) for number, case in enumerate(reading.model.cases)),
        given_others=_bar(reading, effect, _most(shown)) if effect is not None and shown is not None else None,
        alone=_amount(reading, effect.alone) if effect is not None else "",
        heads=heads,
        cost=cost,
        is_on=effect is not None and effect.is_on,
        is_open=move.name == opened,
        url=url,
    )


def _most(shown: Effects) -> float:
    sizes = [abs(amount) for one in shown.moves for amount in (one.alone, one.given_others) if isfinite(amount)]
    return max(sizes, default=0.0)


def _cell(reading: Reading, move: Move, case: Case, place: int) -> MoveCell:
    stack = reading.family.layers_of(case.name)
    layer = next((one for one in stack if one.move == move.name), None)
    state, words, order, title = "off", "", "", f"off in {case.label}; press to switch it on"
    if layer is not None and isinstance(layer.step, Switch):
        order, words = f"{stack.index(layer) + 1}", _own_words(layer.step, move)
        state, title = _standing(reading, case, stack.index(layer), layer)
        title = f"{title}. Step {order} of what {case.label} does{f', {words}' if words else ''}"
    elif move.name in case.drops:
        state, words, title = "dropped", "dropped", f"dropped in {case.label}; press to put it back"
    elif move.group:
        on = [reading.model.move_by_name[one.move] for one in stack if one.move]
        label = next((other.label for other in on if other.group == move.group), "")
        if label:
            title = f"off in {case.label}, where {label} is on; press to switch this on in its place"
    return MoveCell(
        case=case.name,
        case_label=case.label,
        style=style_of(place),
        state=state,
        order=order,
        words=words,
        does="on" if layer is None else "off",
        title=title,
        is_active=case.name == reading.case.name,
    )


def _own_words(switch: Switch, move: Move) -> str:
    """Start and strength, where they are not the move's own."""
    start = switch.start.label if switch.start not in (None, move.start) and switch.start is not None else ""
    strength = "" if switch.strength == 1 else f"{switch.strength * 100:g} %"
    return ", ".join(part for part in (start, strength) if part)


def _standing(reading: Reading, case: Case, place: int, layer: Layer) -> tuple[str, str]:
    """How a move that is on stands in a case."""
    idle = reading.idle(case.name).get(place)
    if idle is not None:
        return "idle", f"on, and does nothing: {idle.sentence}"
    if layer.case == case.name:
        return "on", f"on in {case.label}; press to switch it off"
    source = reading.family.case(layer.case).label
    return "inherited", f"on, from {source}; press to drop it here"


def _amount(reading: Reading, amount: float) -> str:
    figure = reading.figure
    assert figure is not None  # there is no effect without one
    if isnan(amount):
        return "no value"
    return formats.figure_difference(figure, reading.model.line(figure.line), amount) if amount else "–"


def _bar(reading: Reading, effect: Effect, most: float) -> EffectBar:
    amount = effect.given_others
    width = BAR * abs(amount) / most if most and isfinite(amount) else 0.0
    upright = BAR + BAR * effect.alone / most if most and isfinite(effect.alone) and effect.alone else None
    return EffectBar(
        text=_amount(reading, amount) if amount else "nothing",
        x=BAR if amount >= 0 else BAR - width,
        width=width,
        kind="adds" if amount > 0 else "takes" if amount < 0 else "nothing",
        upright=upright,
    )
