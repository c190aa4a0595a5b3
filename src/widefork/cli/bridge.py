"""Print why a figure differs between two cases."""

from math import isnan
from pathlib import Path

import click

from widefork.cli.models import format_option, in_one_sentence, model_argument, print_table, read_plan, shown_figure
from widefork.core.analysis.bridge import Grouping, carried_by, causes_between, walk
from widefork.core.analysis.bridge import bridge as split_by_cause
from widefork.core.analysis.compare import evaluate_cases


@click.command()
@model_argument
@click.option("--from", "origin", required=True, help="The case the difference starts from.")
@click.option("--to", "target", required=True, help="The case it ends at.")
@click.option("--figure", required=True, help="A figure stored in the model.")
@click.option("--order", help="Walk the causes in this order instead, like “line:kit_price,move:bridge_loan”.")
@click.option(
    "--group",
    type=click.Choice(["cause", *(each.value for each in Grouping)]),
    default="line",
    show_default=True,
    help="What is taken together: nothing, what is about one line or of one move, one section, or one note.",
)
@click.option("--lines", is_flag=True, help="The lines that carry the difference, in place of its causes.")
@click.option("--seed", type=int, default=0, show_default=True, help="Of the sampling beyond 12 causes.")
@format_option
@in_one_sentence
def bridge(
    model: Path, origin: str, target: str, figure: str, order: str | None, group: str, lines: bool, seed: int, form: str
) -> None:
    """Split the difference of a figure between two cases by cause, exactly up to 12 causes."""
    plan = read_plan(model)
    causes = causes_between(plan.model, origin, target)
    asked = plan.model.figure(figure)
    if lines:
        parts = carried_by(evaluate_cases(plan, [origin, target]), asked, 0, 1)
        carried = [[part.line or "none", plan.model.line(part.line).label if part.line else "", part.amount]
                   for part in parts]  # fmt: skip
        print_table(["line", "label", "amount"], carried, form)
        return
    if order is None:
        found = split_by_cause(plan, causes, asked, seed)
    else:
        found = walk(plan, causes, asked, [key.strip() for key in order.split(",")])
    steps = found.steps if group == "cause" else found.grouped(Grouping(group))
    rows = [
        [step.cause.key, step.cause.label, step.amount, step.error, None if isnan(step.alone) else step.alone]
        for step in steps
    ]
    first, last = (
        [case, plan.model.case(case).label, shown_figure(asked, amount), 0.0, None]
        for case, amount in ((origin, found.start), (target, found.end))
    )
    print_table(["cause", "label", "amount", "standard_error", "alone"], [first, *rows, last], form)
