"""Print a figure over two assumptions at once."""

from pathlib import Path

import click

from widefork.cli.models import (
    case_option,
    format_option,
    in_one_sentence,
    model_argument,
    print_table,
    read_plan,
    shown_figure,
)
from widefork.core.analysis.sensitivity import Axis, Of, read_axis, try_square
from widefork.core.axes import Month

RANGES = """A side is one of: “LINE [at MEMBER]: -30 % to +30 %”, “40 to 55”, “+0 to +500”, “0 to 12 months later”;
“start of MOVE: 2026-10 to 2028-03”; “strength of MOVE: 0 % to 100 %”."""


@click.command(epilog=RANGES)
@model_argument
@click.option("--figure", required=True, help="A figure stored in the model.")
@click.option("--across", required=True, help="What goes along the columns.")
@click.option("--down", required=True, help="What goes along the rows.")
@click.option("--all", "shows_all", is_flag=True, help="All amounts, up to 41 × 41, instead of every fourth.")
@case_option
@format_option
@in_one_sentence
def table(model: Path, figure: str, across: str, down: str, shows_all: bool, case: str | None, form: str) -> None:
    """Print a figure over every pair of amounts of two assumptions."""
    plan = read_plan(model)
    name = plan.model.case(case).name if case else plan.model.cases[0].name
    asked = plan.model.figure(figure)
    columns, rows = read_axis(plan, name, across), read_axis(plan, name, down)
    found = try_square(plan, name, asked, columns, rows)
    wanted = [range(len(axis.amounts)) if shows_all else axis.coarse for axis in (columns, rows)]
    printed: list[list[object]] = [
        [_amount(rows, row), *(shown_figure(asked, float(found.values[row, column])) for column in wanted[0])]
        for row in wanted[1]
    ]
    print_table([f"{rows.label} / {columns.label}", *(_amount(columns, column) for column in wanted[0])], printed, form)


def _amount(axis: Axis, place: int) -> str:
    amount = float(axis.amounts[place])
    return str(Month.from_ordinal(int(amount))) if axis.of is Of.START else f"{amount:.6g}"
