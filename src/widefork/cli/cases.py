"""Print the cases of a model: who forks from whom, and what each does, in the order it applies."""

from pathlib import Path

import click

from widefork.cli.models import (
    format_option,
    in_one_sentence,
    model_argument,
    print_table,
    read_plan,
    shown_figure,
)
from widefork.core.analysis.walk import walk_cases
from widefork.core.changes import Change, Layer
from widefork.core.changes.words import write_change


@click.command()
@model_argument
@click.option("--figure", help="A figure stored in the model: where it stands after each step.")
@format_option
@in_one_sentence
def cases(model: Path, figure: str | None, form: str) -> None:
    """Print each case with its steps: its own, those it inherits, and those it drops."""
    plan = read_plan(model)
    family = plan.model.family
    asked = plan.model.figure(figure) if figure else None
    walks = walk_cases(plan, asked) if asked is not None else {}
    archived = {case.name for case in plan.model.archived}
    rows: list[list[object]] = []
    for case in family.parents_first:
        walk = walks.get(case.name)
        start = shown_figure(asked, walk.start) if asked is not None and walk is not None else None
        aside = "laid aside" if case.name in archived else ""
        rows.append([case.name, case.label, case.parent or "", aside, case.note, start])
        stack = family.layers_of(case.name)
        after = {id(stage.layer.step): stage.amount for stage in walk.stages} if walk is not None else {}
        for layer in stack:
            kind = "own" if layer.case == case.name else f"from {layer.case}"
            amount = after.get(id(layer.step))
            shown = shown_figure(asked, amount) if asked is not None and amount is not None else None
            rows.append([case.name, case.label, case.parent or "", kind, _words(layer), shown])
        dropped = family.dropped_by(case.name)
        rows += [[case.name, case.label, case.parent or "", "dropped", _words(layer), None] for layer in dropped]
    header = ["case", "label", "parent", "step", "does"]
    print_table([*header, figure] if figure else header, [row if figure else row[:-1] for row in rows], form)


def _words(layer: Layer) -> str:
    if isinstance(layer.step, Change):
        return write_change(layer.step)
    start = f" from {layer.step.start}" if layer.step.start is not None else ""
    strength = f" strength {layer.step.strength!r}" if layer.step.strength != 1 else ""
    return f"move {layer.step.move}{start}{strength}"
