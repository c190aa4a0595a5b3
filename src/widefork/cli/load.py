"""Load a model from a file in an open format."""

from pathlib import Path

import click

from widefork.cli.serve import data_option
from widefork.core.errors import UnknownName, WideforkError
from widefork.files import FORMATS
from widefork.store.database import open_database
from widefork.store.model_store import ModelStore
from widefork.web.app import DATABASE_FILE


@click.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@data_option
def load(file: Path, data: Path) -> None:
    """Check a model file and store it."""
    try:
        kind = next((f for f in FORMATS if f.suffix == file.suffix), None)
        if kind is None:
            raise UnknownName("format for files ending in", file.suffix, [f.suffix for f in FORMATS])
        model = kind.read(file.read_text("utf-8"))
        ModelStore(open_database(data / DATABASE_FILE)).create(model)
    except WideforkError as fault:
        raise click.ClickException(f"{file.name}: {fault}") from fault
    click.echo(f"Loaded {model.name}: {len(model.lines)} lines, {len(model.cases)} cases")
