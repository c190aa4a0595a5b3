"""Start with the demo company."""

from pathlib import Path

import click

from widefork.cli.models import in_one_sentence
from widefork.cli.serve import data_option, host_option, port_option, refuse_taken, run_server
from widefork.demo import DEMO_MODELS, build_demo
from widefork.store.database import open_database
from widefork.store.model_store import ModelStore
from widefork.web.app import DATABASE_FILE, SECRET_FILE

LEFTOVERS = (DATABASE_FILE, f"{DATABASE_FILE}-wal", f"{DATABASE_FILE}-shm", SECRET_FILE)


@click.command()
@data_option
@port_option
@host_option
@click.option("--fresh", is_flag=True, help="Start over: removes the models in the folder, your edits included.")
@in_one_sentence
def demo(data: Path, port: int, hosts: tuple[str, ...], fresh: bool) -> None:
    """Serve the demo company, loading it where there is no model yet."""
    refuse_taken(port)
    if fresh:
        for path in (data / name for name in LEFTOVERS):
            if path.exists():
                click.echo(f"Removing {path}")
                path.unlink()
    store = ModelStore(open_database(data / DATABASE_FILE))
    if not store.shelf.models():
        for name in DEMO_MODELS:
            model = build_demo(name)
            store.create(model)
            click.echo(f"Loaded {model.name}")
    run_server(data, port, hosts)
