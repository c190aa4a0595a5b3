"""The sentence “make … at least … by changing … between … and …” as a goal."""

from collections.abc import Mapping
from dataclasses import dataclass, replace
from math import isfinite

import numpy as np

from widefork.core.analysis.figures import answer
from widefork.core.analysis.goal_seek import Goal, Sense
from widefork.core.analysis.lever import Lever, usual_lever
from widefork.core.changes import Operation
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.lines import NO_TOTAL, Line, Rollup
from widefork.web.shared import formats
from widefork.web.shared.charts.scale import round_ticks
from widefork.web.shared.context import View


@dataclass(frozen=True, kw_only=True)
class Question:
    """The fields of the sentence as shown, and the goal when they can be read.

    Parameters
    ----------
    fault, fault_field : what is wrong with which field. unit : of the amounts changed (× for a factor).
    """

    figures: tuple[Figure, ...]
    levers: tuple[tuple[str, tuple[Line, ...]], ...]
    figure: str
    sense: str
    target: str
    line: str
    low: str
    high: str
    unit: str
    goal: Goal | None
    fault: str
    fault_field: str


def read_question(view: View, args: Mapping[str, str]) -> Question:
    """Return the question an address asks; what it leaves out takes a sensible value."""
    model = view.snapshot.model
    figures = tuple(f for f in model.figures if not f.reduction.gives_month)
    levers = tuple(
        (section.label, lines)
        for section in model.sections
        if (lines := tuple(line for line in model.lines if line.section == section.name and line.is_assumption))
    )
    figure = next((f for f in figures if f.name == args.get("figure")), figures[0] if figures else None)
    asked = model.line_by_name.get(args.get("line", ""))
    line = asked if asked is not None and asked.is_assumption else _usual_line(view)
    sense = args.get("sense", Sense.AT_LEAST.value)
    sense = sense if sense in [s.value for s in Sense] else Sense.AT_LEAST.value
    given = {key: args.get(key, "").strip() for key in ("target", "low", "high")}
    if figure is None or line is None:
        return Question(
            figures=figures,
            levers=levers,
            figure="",
            sense=sense,
            target="",
            line="",
            low="",
            high="",
            unit="",
            goal=None,
            fault="There is no figure or no assumption to work with yet. Add a figure in Compare.",
            fault_field="figure",
        )
    lever, now = usual_lever(view.snapshot.plan, model.changes_of(view.address.case), line.name)
    unit = line.unit if lever.operation is Operation.SET else "×"
    target = given["target"] or "0"
    low, high = _range(view, figure, lever, now, unit)
    shown = {"target": target, "low": given["low"] or low, "high": given["high"] or high}
    units = {"target": model.line(figure.line).unit, "low": unit, "high": unit}
    values: dict[str, float] = {}
    fault, fault_field = "", ""
    for key, text in shown.items():
        try:
            values[key] = _read(text, units[key])
        except InvalidValue as wrong:
            fault, fault_field = wrong.sentence, key
            break
    goal = None
    if not fault and values["low"] >= values["high"]:
        fault, fault_field = "The range goes from a lower to a higher amount; write the lower one first.", "low"
    if not fault:
        lever = replace(lever, is_whole=lever.operation is Operation.SET and counts_things(line, model.currency))
        goal = Goal(figure, Sense(sense), values["target"], lever, values["low"], values["high"])
    return Question(
        figures=figures,
        levers=levers,
        figure=figure.name,
        sense=sense,
        target=shown["target"],
        line=line.name,
        low=shown["low"],
        high=shown["high"],
        unit=unit,
        goal=goal,
        fault=fault,
        fault_field=fault_field,
    )


def counts_things(line: Line, currency: str) -> bool:
    """Return whether a line counts what there are only whole ones of, such as heads, kits or contracts."""
    return not (
        Rollup.default(line.unit) == NO_TOTAL or line.unit == currency or line.unit.startswith(("hour", "day", "month"))
    )


def _read(text: str, unit: str) -> float:
    value = formats.read_number(text.removesuffix("%").strip())
    return value / 100 if unit.startswith("%") else value


def _usual_line(view: View) -> Line | None:
    """A loan's amount where there is one, since money short is what is asked most; else the first assumption."""
    lines = [line for line in view.snapshot.model.lines if line.is_assumption]
    loans = [line for line in lines if line.source is not None and line.source.part == "amount"]
    return next(iter([*loans, *lines]), None)


def _range(view: View, figure: Figure, lever: Lever, now: float, unit: str) -> tuple[str, str]:
    """A range likely to hold the answer: up to twice what stands, or what is missing, or what there is of its kind."""
    if lever.operation is Operation.SCALE:
        return "0", "3"
    if now:
        ends = sorted((0.0, now * 2.5))
    else:
        model = view.snapshot.model
        both_money = model.line(lever.line).unit == model.line(figure.line).unit == model.currency
        gap = float(answer(figure, view.snapshot.results).amounts[view.place])
        ends = [0.0, abs(gap) * 1.5 if both_money and isfinite(gap) and abs(gap) > 1 else _size_of(view, lever.line)]
    top = round_ticks(ends[0], ends[1], 4)
    return formats.typed(top[0], unit), formats.typed(top[-1], unit)


def _size_of(view: View, name: str) -> float:
    """How large an amount that is 0 now may usefully be: money by the company's own, a share to its whole."""
    model = view.snapshot.model
    unit = model.line(name).unit
    if unit.startswith("%"):
        return 1.0
    if unit != model.currency:
        return 100.0
    cash = np.nan_to_num(view.snapshot.results.series("cash_after_overdraft", (), view.place))
    return max(100.0, float(np.abs(cash).max(initial=0.0)))
