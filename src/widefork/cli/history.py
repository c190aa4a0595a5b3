"""``widefork history``: what happened, taken into a model file."""

import os
from dataclasses import replace
from pathlib import Path

import click

from widefork.cli.forecast import MOST_COLUMNS, MOST_ROWS
from widefork.cli.models import format_option, in_one_sentence, model_argument, print_table, read_model
from widefork.core.analysis.trends import known_names, known_of
from widefork.core.errors import InvalidValue
from widefork.core.finance.assemble import assemble
from widefork.core.graph.model import Model
from widefork.core.history import Doubled, merged
from widefork.files import FORMATS
from widefork.files.history import Placed, place_table, read_history
from widefork.files.tables import read_table


@click.group()
@model_argument
@click.pass_context
def history(context: click.Context, model: Path) -> None:
    """Take what happened into a model file, or list what is there."""
    context.obj = model


@history.command("list")
@format_option
@click.pass_obj
@in_one_sentence
def list_series(model: Path, form: str) -> None:
    """Print every series there is: histories, and assumptions with actual months."""
    whole = assemble(read_model(model))
    rows = []
    for name in known_names(whole):
        known = known_of(whole, name)
        raw = known.raw
        last = raw.label_at(len(raw.values) - 1)
        rows.append([name, known.label, known.unit, raw.label_at(0), last, raw.known_count, len(known.steps)])
    print_table(["series", "label", "unit", "first", "last", "known", "steps"], rows, form)


@history.command("import")
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--line", default="", help="The line all of it is about; else the table says so itself.")
@click.option("--out", type=click.Path(dir_okay=False, path_type=Path), help="Another model file to write; else MODEL.")
@click.pass_obj
@in_one_sentence
def import_table(model: Path, file: Path, line: str, out: Path | None) -> None:
    """Take the series of a table into a model: long or wide, by line and member where they are named so."""
    read = read_model(model)
    table = read_history(read_table(file.name, file.read_bytes(), MOST_ROWS, MOST_COLUMNS), Doubled.SUM)
    for note in table.notes:
        click.echo(note, err=True)
    placed = place_table(table, assemble(read), line)
    names = [each.history.name for each in placed]
    twice = next((name for name in names if names.count(name) > 1), None)
    if twice is not None:
        raise InvalidValue(f"Several series of the table go to {twice}. Name what tells them apart, or take some out.")
    target = out or model
    kind = next((each for each in FORMATS if each.suffix == target.suffix), None)
    if kind is None:
        raise InvalidValue(f"A model file ends in {', '.join(each.suffix for each in FORMATS)}; not {target.name}.")
    beside = target.with_name(f".{target.name}.new")
    beside.write_text(kind.write(with_histories(read, placed)), "utf-8")
    os.replace(beside, target)
    for each in placed:
        own = "" if each.line is not None else f", of its own ({each.words})"
        changed = f", {each.changed} known otherwise before" if each.changed else ""
        click.echo(f"{each.source}: {len(each.history.values)} periods into {each.history.name}{own}{changed}")


def with_histories(model: Model, placed: list[Placed]) -> Model:
    """Return a model with what a table says of its series, before what was known of the same periods."""
    known = {history.name: history for history in model.histories}
    for each in placed:
        before = known.get(each.history.name)
        kept = merged(before, each.history) if before else each.history
        known[kept.name] = kept
    return replace(model, histories=tuple(known.values()))
