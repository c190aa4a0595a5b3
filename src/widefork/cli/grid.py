"""Print what figures come to under every combination of some alternatives."""

from itertools import product
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
from widefork.core.analysis.grid import SHAPES_OF_SETS, best_in_rows, read_set, try_all


@click.command(epilog=SHAPES_OF_SETS)
@model_argument
@click.option("--set", "sets", multiple=True, required=True, help="A set of alternatives; two or three of them.")
@click.option("--figure", "figures", multiple=True, required=True, help="A figure stored in the model.")
@click.option("--least", is_flag=True, help="Less is better, as of a cost.")
@case_option
@format_option
@in_one_sentence
def grid(
    model: Path, sets: tuple[str, ...], figures: tuple[str, ...], least: bool, case: str | None, form: str
) -> None:
    """Try every combination of two or three sets of alternatives; the best of the second set is marked for each."""
    plan = read_plan(model)
    name = plan.model.case(case).name if case else plan.model.cases[0].name
    asked = [plan.model.figure(figure) for figure in figures]
    found = try_all(plan, name, [read_set(plan.model, name, text) for text in sets], asked)
    rows: list[list[object]] = []
    _, firsts, seconds, thirds = found.amounts.shape
    best = [best_in_rows(found.amounts[0, :, :, third], least).places for third in range(thirds)]
    for first, third, second in product(range(firsts), range(thirds), range(seconds)):
        places = (first, second, third)[: len(found.sets)]
        labels = [each.choices[place].label for each, place in zip(found.sets, places, strict=True)]
        amounts = [
            shown_figure(each, float(found.amounts[number, first, second, third])) for number, each in enumerate(asked)
        ]
        rows.append([*labels, *amounts, "best" if second in best[third][first] else ""])
    print_table([*(each.label for each in found.sets), *figures, "of its row"], rows, form)
