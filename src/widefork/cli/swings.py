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


@click.command()
@model_argument
@click.option("--figure", required=True, help="A figure stored in the model.")
@click.option("--share", type=float, default=10.0, show_default=True, help="Per cent each assumption is moved by.")
@click.option(
    "--way",
    type=click.Choice([way.value for way in Way]),
    default=Way.SHARE.value,
    show_default=True,
    help="By that share, to the ends of each one's own range, or by one unit.",
)
@case_option
@change_option
@format_option
@in_one_sentence
def swings(
    model: Path, figure: str, share: float, way: str, case: str | None, changes: tuple[str, ...], form: str
) -> None:
    """Move every assumption down and up by itself and rank the effects on a figure."""
    plan = read_plan(model)
    found = rank_swings(plan, changes_of(plan, case, changes), plan.model.figure(figure), share / 100, Way(way))
    asked = plan.model.figure(figure)
    rows = [[s.line, shown_figure(asked, s.lowered), shown_figure(asked, s.raised), s.down, s.up] for s in found.ranked]
    print_table(["line", "lowered", "raised", "down", "up"], rows, form)
