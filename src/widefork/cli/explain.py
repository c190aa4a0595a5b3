"""Print how a value came about."""

from pathlib import Path

import click

from widefork.cli.models import case_option, change_option, changes_of, in_one_sentence, model_argument, read_plan
from widefork.core.analysis.explain import Explanation, Kind
from widefork.core.analysis.explain import explain as explain_value
from widefork.core.axes import Month
from widefork.core.changes import Change
from widefork.core.changes.words import write_change
from widefork.core.engine import evaluate
from widefork.core.graph.calculate import Results
from widefork.core.lines import MemberKey


@click.command()
@model_argument
@click.argument("line")
@click.option("--month", required=True, help="Like 2027-02.")
@click.option("--member", "members", multiple=True, help="One member for each dimension of the line.")
@case_option
@click.option("--depth", type=click.IntRange(1, 20), default=2, show_default=True, help="How many levels down.")
@change_option
@in_one_sentence
def explain(
    model: Path, line: str, month: str, members: tuple[str, ...], case: str | None, depth: int, changes: tuple[str, ...]
) -> None:
    """Print a value's formula, the values put into it and its parts, so many levels down."""
    plan = read_plan(model)
    listed = changes_of(plan, case, changes)
    results = evaluate(plan, [listed])
    _print(results, listed, line, members, Month.parse(month), 0, depth)


def _print(
    results: Results, changes: tuple[Change, ...], name: str, members: MemberKey, month: Month, level: int, depth: int
) -> None:
    found = explain_value(results, 0, changes, name, members, month, month, lambda _, value: f"{value:.10g}")
    indent = "  " * level
    where = f" at {', '.join(members)}" if members else ""
    unit = results.plan.model.line(name).unit
    click.echo(f"{indent}{name}{where} in {month} = {found.value:.10g} {unit}".rstrip())
    for words in _words(found, results):
        click.echo(f"{indent}  {words}")
    if level + 1 < depth:
        for part in found.parts:
            if part.first >= results.plan.model.timeline.start:
                _print(results, changes, part.line, part.members, part.first, level + 1, depth)


def _words(found: Explanation, results: Results) -> list[str]:
    line = results.plan.model.line(found.line)
    words: list[str] = []
    if found.formula:
        words.append(f"= {found.formula}")
    if found.filled:
        words.append(f"= {found.filled}")
    if found.kind is Kind.ASSUMPTION:
        rule = line.rules.get(found.members, line.rules.get(()))
        words.append(f"given: {rule.words(lambda value: f'{value:.10g}')}" if rule else "given")
    if found.kind is Kind.ACTUAL:
        words.append("an actual")
    if found.kind is Kind.MEMBERS:
        words.append(f"the {line.rollup.over_members.value} over {' and '.join(line.dimensions)}")
    if found.sentence:
        words.append(found.sentence)
    for entry in found.contributions if len(found.contributions) > 1 else ():
        words.append(f"{entry.amount:+.10g}  {entry.words}" + (f"  ({entry.note})" if entry.note else ""))
    return [*words, *(f"changed: {write_change(change)}" for change in found.changes)]
