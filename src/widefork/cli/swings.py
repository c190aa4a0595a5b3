"""Print what moves a figure most."""

from pathlib import Path

import click

from widefork.cli.models import (
    case_option,
    change_option,
    changes_of,
    format_option,
    in_one_sentence,
    model_argument,
    print_table,
    read_plan,
    shown_figure,
)
from widefork.core.analysis.sensitivity import Way, rank_swings

WAYS = {"share": Way.SHARE, "own": Way.RANGE, "unit": Way.UNIT}


@click.command()
@model_argument
@click.option("--figure", required=True, help="A figure stored in the model.")
@click.option("--share", type=float, default=10.0, show_default=True, help="Per cent each assumption is moved by.")
@click.option(
    "--ranges",
    type=click.Choice(["share", "own", "unit"]),
    default="share",
    show_default=True,
    help="By that share, to the ends of each one's own plausible range, or by one unit.",
)
@click.option("--second", help="A figure told beside it.")
@click.option("--apart", is_flag=True, help="Members of a line each by themselves.")
@click.option("--together", multiple=True, help="Lines swung as one, as kit_price+panel_fee; may be given again.")
@case_option
@change_option
@format_option
@in_one_sentence
def swings(
    model: Path,
    figure: str,
    share: float,
    ranges: str,
    second: str | None,
    apart: bool,
    together: tuple[str, ...],
    case: str | None,
    changes: tuple[str, ...],
    form: str,
) -> None:
    """Move every assumption down and up by itself and rank the effects on a figure."""
    plan = read_plan(model)
    asked = plan.model.figure(figure)
    beside = plan.model.figure(second) if second else None
    groups = [group.split("+") for group in together]
    for name in (name for group in groups for name in group):
        plan.model.line(name)
    way = WAYS[ranges]
    found = rank_swings(plan, changes_of(plan, case, changes), asked, share / 100, way, beside, apart, groups)
    rows: list[list[object]] = []
    for s in found.ranked:
        more = [shown_figure(beside, value) for value in s.second] if beside is not None else []
        rows.append([s.moved.key, shown_figure(asked, s.lowered), shown_figure(asked, s.raised), s.down, s.up, *more])
    heads = [f"{second} lowered", f"{second} raised"] if second else []
    print_table(["line", "lowered", "raised", "down", "up", *heads], rows, form)
    if found.without_range:
        click.echo(f"{len(found.without_range)} without a range: {', '.join(found.without_range)}", err=True)
