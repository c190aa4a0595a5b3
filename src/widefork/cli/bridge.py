"""Print why a figure differs between two cases."""

from pathlib import Path

import click

from widefork.cli.models import format_option, in_one_sentence, model_argument, print_table, read_plan, shown_figure
from widefork.core.analysis.bridge import bridge as split_by_cause
from widefork.core.analysis.bridge import causes_between, walk


@click.command()
@model_argument
@click.option("--from", "origin", required=True, help="The case the difference starts from.")
@click.option("--to", "target", required=True, help="The case it ends at.")
@click.option("--figure", required=True, help="A figure stored in the model.")
@click.option("--order", help="Walk the causes in this order instead, like “line:kit_price,move:bridge_loan”.")
@click.option("--steps", "each", is_flag=True, help="Every step by itself, not those about one line together.")
@click.option("--seed", type=int, default=0, show_default=True, help="Of the sampling beyond 12 causes.")
@format_option
@in_one_sentence
def bridge(
    model: Path, origin: str, target: str, figure: str, order: str | None, each: bool, seed: int, form: str
) -> None:
    """Split the difference of a figure between two cases by cause, exactly up to 12 causes."""
    plan = read_plan(model)
    causes = causes_between(plan.model, origin, target)
    asked = plan.model.figure(figure)
    if order is None:
        found = split_by_cause(plan, causes, asked, seed)
    else:
        found = walk(plan, causes, asked, [key.strip() for key in order.split(",")])
    steps = found.steps if each else found.grouped()
    rows = [[step.cause.key, step.cause.label, step.amount, step.error] for step in steps]
    first, last = (
        [case, plan.model.case(case).label, shown_figure(asked, amount), 0.0]
        for case, amount in ((origin, found.start), (target, found.end))
    )
    print_table(["cause", "label", "amount", "standard_error"], [first, *rows, last], form)
