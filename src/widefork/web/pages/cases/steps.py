"""The active case as one ordered list of steps, with the chosen figure after each."""

from dataclasses import dataclass

from widefork.core.changes import Change, Layer
from widefork.core.figures import Figure
from widefork.web.pages.cases.differs import key_of
from widefork.web.pages.cases.reading import Reading
from widefork.web.pages.cases.words import layer_words, step_words
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of


@dataclass(frozen=True, kw_only=True)
class StepRow:
    """One step. ``place`` is its place among the case's own; None for one that is inherited, dropped or sketched."""

    number: int
    what: str
    when: str
    source: str
    kind: str
    place: int | None
    is_move: bool
    after: str
    moved: str
    note: str
    url: str
    choice: str


@dataclass(frozen=True, kw_only=True)
class Steps:
    """The whole list. ``others`` are cases steps can be copied to: name, label, style."""

    label: str
    style: int
    figure: str
    start_words: str
    start: str
    rows: tuple[StepRow, ...]
    others: tuple[tuple[str, str, int], ...]
    has_own: bool


def build_steps(reading: Reading) -> Steps:
    """Return the list of the active case."""
    model, case, figure = reading.model, reading.case, reading.figure
    walk = reading.walks.get(case.name)
    root = model.cases[0]
    start_words = f"{root.label} gives"
    if walk is not None and walk.without:
        start_words = f"{root.label} without {walk.without} of its steps gives"
    return Steps(
        label=case.label,
        style=style_of(reading.view.snapshot.place(case.name)),
        figure=figure.label if figure else "",
        start_words=start_words,
        start=_text(reading, figure, walk.start) if walk is not None else "",
        rows=tuple(_rows(reading)),
        others=tuple(
            (other.name, other.label, style_of(place))
            for place, other in enumerate(model.cases)
            if other.name != case.name
        ),
        has_own=bool(case.steps),
    )


def _text(reading: Reading, figure: Figure | None, amount: float) -> str:
    return formats.figure_text(figure, reading.model.line(figure.line), amount) if figure is not None else ""


def _rows(reading: Reading) -> list[StepRow]:
    """What is inherited, what of it is dropped, and the case's own."""
    case = reading.case
    dropped = reading.family.dropped_by(case.name)
    walk = reading.walks.get(case.name)
    stages = list(walk.stages) if walk is not None else []
    stack = [stage.layer for stage in stages] if walk is not None else list(reading.family.layers_of(case.name))
    rows: list[StepRow] = []
    for place, layer in enumerate(stack):
        stage = stages[place] if stages else None
        figure, after, moved = reading.figure, "", ""
        if stage is not None and figure is not None:
            after = _text(reading, figure, stage.amount)
            difference = formats.figure_difference(figure, reading.model.line(figure.line), stage.moved)
            moved = (difference or "changed") if stage.moves else "nothing"
        rows.append(_row(reading, layer, len(rows) + 1, after, moved))
    inherited = sum(row.kind == "inherited" for row in rows)
    gone = [_row(reading, layer, 0, "", "", "dropped") for layer in dropped]
    return [*rows[:inherited], *gone, *rows[inherited:]]


def _row(reading: Reading, layer: Layer, number: int, after: str, moved: str, kind: str = "") -> StepRow:
    case = reading.case
    what, when = layer_words(layer, reading.model)
    place = reading.place(layer) if layer.case == case.name and not kind else None
    own = "own" if place is not None else "sketched"
    return StepRow(
        number=number,
        what=what,
        when=when,
        source="" if layer.case == case.name else reading.family.case(layer.case).label,
        kind=kind or (own if layer.case == case.name else "inherited"),
        place=place,
        is_move=layer.move is not None,
        after=after,
        moved=moved,
        note=layer.step.note if isinstance(layer.step, Change) else "",
        url=reading.view.address.url(open=f"{case.name}/{key_of(layer)}"),
        choice=step_words(layer, reading.model),
    )
