"""The demo company on a desk of its own: database, compiled snapshot and application are made once a process.

A test gets a copy of the database and the snapshot of the untouched demo, so that it pays for what it does itself.
"""

import re
import shutil
import tempfile
from functools import cache
from pathlib import Path

from flask import Flask
from flask.testing import FlaskClient

from tests.kit import declared
from widefork.core.graph.model import Model
from widefork.demo import build_demo
from widefork.store.database import connect, open_database
from widefork.store.model_store import ModelStore
from widefork.web.app import DATABASE_FILE, create_app
from widefork.web.errors import message_place
from widefork.web.shared.workspace import Snapshot, Workspace

HTMX = {"HX-Request": "true"}


@cache
def demo_model() -> Model:
    """Return the demo company as its file says it."""
    return build_demo("quillmere")


@cache
def _kept_folder():
    """A folder that lives as long as the process."""
    return tempfile.TemporaryDirectory(prefix="widefork-tests-")


@cache
def _made(name: str) -> Path:
    """A migrated database, empty or with the demo in it; closed, so that its one file holds everything."""
    path = Path(_kept_folder().name) / f"{name}.db"
    engine = open_database(path)
    if name == "demo":
        ModelStore(engine).create(demo_model())
    engine.dispose()
    return path


def _copied(name: str, folder: Path) -> ModelStore:
    path = folder / DATABASE_FILE
    shutil.copyfile(_made(name), path)
    return ModelStore(connect(path))


def empty_store(folder: Path) -> ModelStore:
    """Return a store without models, in a folder."""
    return _copied("empty", folder)


def demo_store(folder: Path) -> ModelStore:
    """Return a store with the demo company as model 1, untouched, in a folder."""
    return _copied("demo", folder)


@cache
def demo_snapshot() -> Snapshot:
    """Return the untouched demo, compiled and evaluated."""
    snapshot = Snapshot(demo_store(Path(tempfile.mkdtemp(dir=_kept_folder().name))).load(1))
    assert snapshot.results
    return snapshot


def demo_workspace(folder: Path) -> Workspace:
    """Return a workspace on a demo of its own."""
    workspace = Workspace(demo_store(folder))
    workspace.keep(demo_snapshot())
    return workspace


@cache
def demo_application() -> Flask:
    """Return the process's application; see ``demo_app``."""
    app = create_app(Path(tempfile.mkdtemp(dir=_kept_folder().name)))
    app.test_client_class = Client
    app.request_class = declared.RememberingRequest
    return app


def demo_app(folder: Path) -> Flask:
    """Return the process's application, laid on a demo of its own; pages already read stay compiled."""
    app = demo_application()
    app.extensions["workspace"] = demo_workspace(folder)
    app.config["WTF_CSRF_ENABLED"] = True
    return app


class Client(FlaskClient):
    """A person at the application: reads pages, sends forms, sees what is stored afterwards.

    ``begin`` says which page's forms ``send`` sends, and what they all hold unless a test says otherwise.
    """

    page = ""
    usual: dict[str, str] = {}  # noqa: RUF012  (replaced as a whole, never changed)

    def begin(self, page, **usual):
        """Work on a page from now on."""
        self.page, self.usual = page, {"message_at": page, **usual}
        return self

    @property
    def workspace(self) -> Workspace:
        """What the application reads snapshots from."""
        return self.application.extensions["workspace"]

    @property
    def store(self) -> ModelStore:
        """What the application stores in."""
        return self.workspace.store

    def model(self, model_id=1):
        """The model as stored."""
        return self.store.load(model_id).model

    def plan(self, model_id=1):
        """The model as compiled for the pages."""
        return self.workspace.now(model_id).plan

    def revision(self, model_id=1):
        """Where the model stands."""
        return self.store.revision(model_id)

    def read(self, query="", model_id=1):
        """The page worked on, as text with its entities resolved."""
        reply = self.get(f"/m/{model_id}/{self.page}{query}")
        assert reply.status_code == 200, reply.status_code
        return plain(reply.text)

    def piece(self, url):
        """A piece of a page that is worked out by itself, asked for again as the browser does until it is there."""
        for _ in range(300):
            reply = self.get(url)
            assert reply.status_code == 200, reply.status_code
            if 'class="working"' not in reply.text:
                return reply.text
        raise AssertionError(f"never there: {url}")

    def send(self, doing, model_id=1, /, **form):
        """Send a form of the page as the browser does; return the reply."""
        usual = {"seen": str(self.revision(model_id)), "back": f"/m/{model_id}/{self.page}"}
        data = {**usual, **self.usual, **form}
        data["back"] = data["back"].format(model=model_id, case=data.get("case", ""))
        return self.post(f"/m/{model_id}/{self.page}/{doing}".rstrip("/"), data=data, headers=HTMX)

    def open(self, *args, **kwargs):
        """Send anything; the reply remembers where a message about it belongs."""
        declared.begin()
        reply = super().open(*args, **kwargs)
        unknown = declared.undeclared(reply.request.method, reply.request.path)
        assert not unknown, f"{reply.request.path} reads what its page does not declare: {unknown}"
        sent = kwargs.get("data")
        with self.application.app_context():
            reply.message_place = message_place(sent.get("message_at", "") if isinstance(sent, dict) else "")
        return reply


def done(reply):
    """The form was taken."""
    assert reply.status_code == 303, reply.text
    return reply


def refused(reply, words):
    """The form was refused in these words, at the place it was filled in."""
    assert reply.status_code == 422, reply.status_code
    assert reply.headers["HX-Retarget"] == reply.message_place
    assert words in plain(reply.text)
    return reply


def plain(text):
    """Text with the entities of quotes resolved."""
    return re.sub(r"&#\d+;", "'", text)
