"""Load a model from a file in an open format."""

from pathlib import Path

import click

from widefork.cli.models import in_one_sentence, model_argument, read_model
from widefork.cli.serve import data_option
from widefork.store.database import open_database
from widefork.store.model_store import ModelStore
from widefork.web.app import DATABASE_FILE


@click.command()
@model_argument
@data_option
@in_one_sentence
def load(model: Path, data: Path) -> None:
    """Check a model file and store it."""
    read = read_model(model)
    ModelStore(open_database(data / DATABASE_FILE)).create(read)
    click.echo(f"Loaded {read.name}: {len(read.lines)} lines, {len(read.cases)} cases")
