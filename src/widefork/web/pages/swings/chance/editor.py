"""How each line is drawn, and which go together: shown as rows to be changed, read from forms."""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from widefork.core.analysis.chance import correlations_of, nearest_correlations, spread_of
from widefork.core.analysis.grid import named_line
from widefork.core.errors import InvalidModel, InvalidValue, WideforkError
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.core.look import PlausibleRange
from widefork.core.spreads import Applied, Correlation, Redrawn, Shape, SpreadSetting
from widefork.web.pages.swings.chance.asked import ChanceAsked, range_of, spread_label
from widefork.web.shared.context import View
from widefork.web.shared.formats import read_choice, read_number
from widefork.web.shared.ranges import read_range

MOST_ROWS = 60
"""Lines with a row of their own; the others are chosen from a list."""


@dataclass(frozen=True, kw_only=True)
class SpreadRow:
    """One spread. ``is_own`` says whether the model says it, or it is as usual; ``at`` names its members."""

    name: str
    line: str
    at: str
    label: str
    range: str
    shape: str
    held: str
    rhythm: str
    persistence: str
    applied: str
    is_own: bool


@dataclass(frozen=True, kw_only=True)
class Editor:
    """The whole editor. ``others`` are lines without a row, and those that have members to be told apart.

    ``members`` are all that can be named.

    ``pairs`` are (one, its label, other, its label, how much, what it was repaired to where it could not be).
    """

    rows: tuple[SpreadRow, ...]
    others: tuple[tuple[str, str], ...]
    members: tuple[str, ...]
    pairs: tuple[tuple[str, str, str, str, str, str], ...]
    drawn: tuple[tuple[str, str], ...]


def build_editor(view: View, asked: ChanceAsked) -> Editor:
    """Return the rows of all that is drawn, those the model says something of first."""
    model = view.snapshot.model
    own = {setting.name: setting for setting in model.spreads}
    asked_way = SpreadSetting(
        "", asked.shape, asked.held, asked.rhythm, asked.persistence if asked.rhythm is not Redrawn.ONCE else 0.0
    )
    drawn_ones = {spread.name: spread for spread in asked.usual}
    unfit = [setting for setting in model.spreads if setting.name not in drawn_ones]
    usual = [replace(asked_way, line=spread.line, members=spread.members) for spread in asked.usual]
    shown = [*unfit, *sorted((own.get(each.name, each) for each in usual), key=lambda each: each.name not in own)]
    rows = []
    for setting in shown[:MOST_ROWS]:
        spread = drawn_ones.get(setting.name)
        rows.append(
            SpreadRow(
                name=setting.name.replace(" ", "-"),
                line=setting.line,
                at=", ".join(member for _, member in setting.members),
                label=spread_label(model, setting.name) + (", the rest" if spread and spread.parts else ""),
                range=range_of(model, setting.name),
                shape=setting.shape.value,
                held=f"{setting.held * 100:g}",
                rhythm=setting.rhythm.value,
                persistence=f"{setting.persistence * 100:g}",
                applied=setting.applied.value,
                is_own=setting.name in own,
            )
        )
    whole = {setting.line for setting in shown[:MOST_ROWS] if not setting.members}
    drawn = dict.fromkeys(spread.line for spread in asked.usual)
    return Editor(
        rows=tuple(rows),
        others=tuple(
            (line.name, line.label)
            for line in model.lines
            if (line.name not in whole or line.dimensions) and _can_be(view, line.name)
        ),
        members=tuple(dict.fromkeys(member for dimension in model.dimensions for member in dimension)),
        pairs=_pairs(view, asked),
        drawn=tuple((name, model.line(name).label) for name in drawn),
    )


def _can_be(view: View, name: str) -> bool:
    try:
        view.snapshot.plan.check_changeable(name)
    except WideforkError:
        return False
    return True


def _pairs(view: View, asked: ChanceAsked) -> tuple[tuple[str, str, str, str, str, str], ...]:
    model = view.snapshot.model
    places = {spread.line: place for place, spread in reversed(list(enumerate(asked.spreads)))}
    matrix = correlations_of(view.snapshot.plan, asked.spreads)
    valid = nearest_correlations(matrix) if matrix is not None else np.eye(len(asked.spreads))
    found = []
    for pair in model.correlations:
        mended = ""
        if pair.one in places and pair.other in places:
            taken = float(valid[places[pair.one], places[pair.other]])
            mended = f"{taken:+.2f}".replace("-", "−") if abs(taken - pair.coefficient) > 0.005 else ""
        labels = [model.line(name).label if name in model.line_by_name else name for name in (pair.one, pair.other)]
        found.append((pair.one, labels[0], pair.other, labels[1], f"{pair.coefficient:+g}".replace("-", "−"), mended))
    return tuple(found)


def read_drawn(model: Model, form: Mapping[str, str]) -> tuple[Line, tuple[tuple[str, str], ...]]:
    """Return the line and the members a form is about; raise UnknownName."""
    line, at = model.line(form.get("line", "")), form.get("at", "").strip()
    return line, named_line(model, f"{line.name} at {at}")[1] if at else ()


def read_spread(view: View, form: Mapping[str, str]) -> tuple[SpreadSetting, PlausibleRange | None]:
    """Return the spread a form says, and the range the line itself is to have; None where it is of a calculated line or
    of members.

    Raises
    ------
    InvalidValue: a field that cannot be read, or a shape or a use that does not fit the range.
    UnknownName, ChangeRefused: a line that cannot be drawn, or a member it does not have.
    """
    line, members = read_drawn(view.snapshot.model, form)
    view.snapshot.plan.check_changeable(line.name)
    shape = read_choice(Shape, form.get("shape", ""), "the shape")
    rhythm = read_choice(Redrawn, form.get("drawn_each", ""), "how often")
    applied = read_choice(Applied, form.get("applied", Applied.USUAL), "what it is drawn as")
    values = np.nan_to_num(view.snapshot.results.values(line.name)[..., view.place])
    named = dict(members)
    at = tuple(
        d.index(named[d.name]) if d.name in named else slice(None) for d in view.snapshot.model.dimensions_of(line)
    )
    plausible = read_range(form.get("range", ""), line.unit, float(values[at].mean()))
    if plausible is None:
        raise InvalidValue(f"{line.label} needs a range to be drawn from, like 42 to 49, or −10 % to +5 %.")
    held, persistence = (_share(form.get(key, "")) for key in ("held", "persistence"))
    kept = persistence if rhythm is not Redrawn.ONCE else 0.0
    has_own = line.is_assumption and not members
    try:
        setting = SpreadSetting(line.name, shape, held, rhythm, kept, None if has_own else plausible, applied, members)
    except InvalidModel as fault:
        raise InvalidValue(fault.sentence) from fault
    spread_of(view.snapshot.plan, line.name, plausible, shape, held, members=members, applied=applied)
    return setting, plausible if has_own else None


def _share(text: str) -> float:
    return read_number(text.strip().removesuffix("%")) / 100


def read_correlation(model: Model, form: Mapping[str, str]) -> Correlation:
    """Return the pair a form says; raise InvalidValue for one line twice, or not from -1 to 1."""
    one, other = (model.line(form.get(key, "")).name for key in ("one", "other"))
    amount = read_number(form.get("amount", "0").strip().lstrip("+"))
    try:
        return Correlation(one, other, amount)
    except InvalidModel as fault:
        raise InvalidValue(fault.sentence) from fault
