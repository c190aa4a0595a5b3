"""Moves by case, as plain data: where each is on, from when and how strongly, and what it does to a figure."""

from dataclasses import dataclass
from math import isfinite, isnan

from widefork.core.analysis.effects import Effect, move_effects
from widefork.core.changes import Case, Layer, Move, Switch
from widefork.web.pages.cases.reading import Reading
from widefork.web.pages.cases.words import switch_words
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of

BAR = 44
"""Half the width bars are drawn in, each way from nothing."""


@dataclass(frozen=True, kw_only=True)
class MoveCell:
    """A move in a case. ``state`` is on, inherited, dropped, off or idle; ``does`` is what pressing it does."""

    case: str
    case_label: str
    style: int
    state: str
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


@dataclass(frozen=True, kw_only=True)
class MoveRow:
    """A move over all cases, with its effects in the active one."""

    name: str
    label: str
    note: str
    start: str
    changes: str
    cells: tuple[MoveCell, ...]
    given_others: EffectBar | None
    alone: EffectBar | None
    is_on: bool
    url: str


@dataclass(frozen=True, kw_only=True)
class Moves:
    """The whole view. ``cases`` are (name, label, style, is active); ``figures`` to choose from."""

    cases: tuple[tuple[str, str, int, bool], ...]
    rows: tuple[MoveRow, ...]
    figure: str
    figure_label: str
    figures: tuple[tuple[str, str], ...]
    bar: int


def build_moves(reading: Reading) -> Moves:
    """Return the view for the chosen figure."""
    model, figure = reading.model, reading.figure
    case = reading.case
    effects: dict[str, Effect] = {}
    if figure is not None and model.moves:
        found = reading.view.snapshot.kept(
            ("effects", case.name, figure), lambda: move_effects(reading.view.snapshot.plan, case.name, figure)
        )
        effects = {effect.move: effect for effect in found}
    amounts = [abs(amount) for one in effects.values() for amount in (one.alone, one.given_others) if isfinite(amount)]
    most = max(amounts, default=0.0)
    return Moves(
        cases=tuple((c.name, c.label, style_of(n), c.name == case.name) for n, c in enumerate(model.cases)),
        rows=tuple(_row(reading, move, effects.get(move.name), most) for move in model.moves),
        figure=figure.name if figure else "",
        figure_label=figure.label if figure else "",
        figures=tuple((one.name, one.label) for one in model.figures),
        bar=BAR,
    )


def _row(reading: Reading, move: Move, effect: Effect | None, most: float) -> MoveRow:
    count = len(move.changes)
    return MoveRow(
        name=move.name,
        label=move.label,
        note=move.note,
        start=move.start.label,
        changes=f"{count} change{'' if count == 1 else 's'}",
        cells=tuple(_cell(reading, move, case, place) for place, case in enumerate(reading.model.cases)),
        given_others=_bar(reading, effect.given_others, most) if effect is not None else None,
        alone=_bar(reading, effect.alone, most) if effect is not None else None,
        is_on=effect is not None and effect.is_on,
        url=reading.view.address.url(view="", open=f"{reading.case.name}/move:{move.name}"),
    )


def _cell(reading: Reading, move: Move, case: Case, place: int) -> MoveCell:
    stack = reading.family.layers_of(case.name)
    layer = next((one for one in stack if one.move == move.name), None)
    state, words, title = "off", "off", f"off in {case.label}; press to switch it on"
    if layer is not None and isinstance(layer.step, Switch):
        state, words, title = _standing(reading, case, stack.index(layer), layer, switch_words(layer.step, move))
    elif move.name in case.drops:
        state, words, title = "dropped", "dropped", f"dropped in {case.label}; press to put it back"
    return MoveCell(
        case=case.name,
        case_label=case.label,
        style=style_of(place),
        state=state,
        words=words,
        does="on" if layer is None else "off",
        title=title,
        is_active=case.name == reading.case.name,
    )


def _standing(reading: Reading, case: Case, place: int, layer: Layer, words: str) -> tuple[str, str, str]:
    """How a move that is on stands in a case."""
    idle = reading.idle(case.name).get(place)
    if idle is not None:
        return "idle", words, f"on, and does nothing: {idle.sentence}"
    if layer.case == case.name:
        return "on", words, f"on in {case.label}; press to switch it off"
    source = reading.family.case(layer.case).label
    return "inherited", words, f"on, from {source}; press to drop it here"


def _bar(reading: Reading, amount: float, most: float) -> EffectBar:
    figure = reading.figure
    assert figure is not None  # there is no effect without one
    line = reading.model.line(figure.line)
    if isnan(amount):
        return EffectBar(text="no value", x=BAR, width=0, kind="nothing")
    text = formats.figure_difference(figure, line, amount) if amount else "nothing"
    width = BAR * abs(amount) / most if most and isfinite(amount) else 0.0
    kind = "adds" if amount > 0 else "takes" if amount < 0 else "nothing"
    return EffectBar(text=text, x=BAR if amount >= 0 else BAR - width, width=width, kind=kind)
