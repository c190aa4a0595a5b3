"""Print a model's values."""

from collections.abc import Iterator
from itertools import product
from pathlib import Path
from typing import Any

import click

from widefork.cli.models import (
    change_option,
    changes_of,
    format_option,
    in_one_sentence,
    model_argument,
    print_table,
    read_plan,
)
from widefork.core.axes import Grain
from widefork.core.engine import evaluate
from widefork.core.graph.calculate import Results
from widefork.core.graph.rollup import roll_up
from widefork.core.lines import Line


@click.command()
@model_argument
@click.option("--case", "cases", multiple=True, help="A case; may be repeated. All when left out.")
@click.option("--line", "lines", multiple=True, help="A line; may be repeated. All when left out.")
@click.option("--by", type=click.Choice([grain.value for grain in Grain]), default="month", show_default=True)
@change_option
@format_option
@in_one_sentence
def calc(
    model: Path, cases: tuple[str, ...], lines: tuple[str, ...], by: str, changes: tuple[str, ...], form: str
) -> None:
    """Print values by case, line, member and period, in full precision."""
    plan = read_plan(model)
    chosen = cases or tuple(case.name for case in plan.model.cases)
    wanted = [plan.model.line(name) for name in lines] or list(plan.model.lines)
    results = evaluate(plan, [changes_of(plan, case, changes) for case in chosen], [line.name for line in wanted])
    periods = plan.model.timeline.periods(Grain(by))
    header = ["case", "line", "member", "unit", *(f"{p.key} ({p.note})" if p.is_cut else p.key for p in periods)]

    def rows() -> Iterator[list[Any]]:
        for place, case in enumerate(chosen):
            for line in wanted:
                yield from _rows(results, place, case, line, periods)

    print_table(header, rows(), form)


def _rows(results: Results, place: int, case: str, line: Line, periods: Any) -> Iterator[list[Any]]:
    keys = product(*(dimension.members for dimension in results.plan.model.dimensions_of(line)))
    for key in keys:
        values = roll_up(results, line.name, periods, key)[:, place]
        yield [case, line.name, " / ".join(key), line.unit, *(float(value) for value in values)]
