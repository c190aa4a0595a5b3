"""Print figures, and lines by period, of several cases side by side."""

from math import isnan
from pathlib import Path

import click

from widefork.cli.models import format_option, in_one_sentence, model_argument, print_table, read_plan, shown_figure
from widefork.core.analysis.compare import Side, evaluate_cases
from widefork.core.axes import Grain


@click.command()
@model_argument
@click.option("--cases", help="Cases by name, like “base,worst”; all when left out. Differences are to the first.")
@click.option("--figures", help="Figures stored in the model, by name; all when left out.")
@click.option("--lines", default="", help="Lines to list by period, like “revenue,ebitda”.")
@click.option("--by", type=click.Choice([grain.value for grain in Grain]), default="year", show_default=True)
@click.option("--apart", is_flag=True, help="Differences to the first case instead of amounts; months for a month.")
@format_option
@in_one_sentence
def compare(model: Path, cases: str | None, figures: str | None, lines: str, by: str, apart: bool, form: str) -> None:
    """Print figures and lines by period, one column for each case."""
    plan = read_plan(model)
    names = [plan.model.case(name).name for name in _named(cases)] or [case.name for case in plan.model.cases]
    asked = [plan.model.figure(name) for name in _named(figures)] if figures else list(plan.model.figures)
    listed = [plan.model.line(name) for name in _named(lines)]
    wanted = list(dict.fromkeys([*(figure.line for figure in asked), *(line.name for line in listed)]))
    results = evaluate_cases(plan, names, wanted)
    sides = [Side(plan.model.case(name).label, results, place) for place, name in enumerate(names)]
    rows: list[list[object]] = []
    for figure in asked:
        amounts = [side.answer(figure)[0] for side in sides]
        told = [_apart(amount, amounts[0]) for amount in amounts] if apart else None
        rows.append([figure.name, "", *(told or [shown_figure(figure, amount) for amount in amounts])])
    timeline = plan.model.timeline
    periods = timeline.periods(Grain(by), timeline.start, timeline.end)
    for line in listed:
        values = [side.rolled(line.name, periods) for side in sides]
        for place, period in enumerate(periods):
            found = [float(side[place]) for side in values]
            told = [_apart(amount, found[0]) for amount in found] if apart else None
            rows.append([line.name, period.label, *(told or [None if isnan(amount) else amount for amount in found])])
    print_table(["figure", "period", *names], rows, form)


def _named(text: str | None) -> list[str]:
    return [name.strip() for name in (text or "").split(",") if name.strip()]


def _apart(amount: float, base: float) -> float | None:
    return None if isnan(amount - base) else amount - base
