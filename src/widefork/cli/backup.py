"""Copy the data file, also while it is served, and put a copy back."""

from pathlib import Path

import click

from widefork.cli.models import in_one_sentence
from widefork.cli.serve import data_option
from widefork.store.database import back_up
from widefork.store.database import restore as put_back
from widefork.web.app import DATABASE_FILE


@click.command()
@click.argument("file", type=click.Path(dir_okay=False, path_type=Path))
@data_option
@in_one_sentence
def backup(file: Path, data: Path) -> None:
    """Copy all models, logs and seals into one file."""
    back_up(data / DATABASE_FILE, file)
    click.echo(f"Backed up to {file} ({file.stat().st_size / 1e6:.1f} MB)")


@click.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@data_option
@in_one_sentence
def restore(file: Path, data: Path) -> None:
    """Put a backup in the place of what is there; that is kept beside it. Stop the server first."""
    stands, kept = data / DATABASE_FILE, data / f"{DATABASE_FILE}.before-restore"
    if stands.exists():
        back_up(stands, kept)
    put_back(file, stands)
    click.echo(f"Restored from {file}" + (f"; what was there is in {kept}" if kept.exists() else ""))
