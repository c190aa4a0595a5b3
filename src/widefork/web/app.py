"""The application factory."""

import re
from collections.abc import Sequence
from pathlib import Path
from secrets import token_hex

from flask import Flask, Response, abort, request
from flask_wtf.csrf import CSRFProtect
from werkzeug.routing import IntegerConverter, Map

from widefork.store.database import open_database
from widefork.store.errors import StoreUnavailable
from widefork.store.model_store import ModelStore
from widefork.web import errors, front
from widefork.web.pages import PAGES
from widefork.web.shared import edits, filters, rounds
from widefork.web.shared.finder import init_finder
from widefork.web.shared.workspace import Workspace

OWN_HOSTS = ("localhost", "127.0.0.1", "[::1]")
KEY = re.compile(r"[0-9a-f]{64}")
DATABASE_FILE, SECRET_FILE = "widefork.db", "secret.key"
CONTENT_POLICY = "; ".join(
    (
        "default-src 'self'",
        "img-src 'self' data:",
        "object-src 'none'",
        "base-uri 'none'",
        "frame-ancestors 'none'",
        "form-action 'self'",
    )
)


class StoredId(IntegerConverter):
    """A whole number the database can hold; any other is no address of anything."""

    def __init__(self, map: Map) -> None:  # noqa: A002  (named by the router)
        super().__init__(map, max=2**63 - 1)


def create_app(data_folder: Path, hosts: Sequence[str] = ()) -> Flask:
    """Return the application on the models in a folder, which is created where needed.

    ``hosts`` are names it may be reached under beside this machine's own; requests for any other are refused.
    """
    engine = open_database(data_folder / DATABASE_FILE)
    app = Flask(__name__, template_folder="shared/templates", static_folder="static")
    app.config["SECRET_KEY"] = _secret(data_folder / SECRET_FILE)
    app.config["SESSION_COOKIE_SAMESITE"] = "Lax"
    app.config["TRUSTED_HOSTS"] = [*OWN_HOSTS, *hosts]
    app.config["MAX_CONTENT_LENGTH"] = 8 * 1024 * 1024
    app.config["WTF_CSRF_TIME_LIMIT"] = None  # a page left open over night must still be able to save
    app.url_map.converters["int"] = StoredId
    CSRFProtect(app)
    app.extensions["workspace"] = Workspace(ModelStore(engine))
    filters.init_app(app, PAGES)
    errors.init_app(app, (*edits.MESSAGES, *(name for page in PAGES for name in page.messages)))
    app.register_blueprint(edits.BLUEPRINT)
    app.register_blueprint(init_finder(PAGES))
    for page in PAGES:
        app.register_blueprint(page.blueprint)
    app.register_blueprint(front.BLUEPRINT)
    app.before_request(_refuse_other_origins)
    app.after_request(_secure)
    rounds.init_app(app)
    return app


def _refuse_other_origins() -> None:
    """A page of another site may not write here, whatever else it knows."""
    origin = request.headers.get("Origin")
    if request.method not in ("GET", "HEAD", "OPTIONS") and origin not in (None, request.host_url.rstrip("/")):
        abort(403)


def _secret(path: Path) -> str:
    """A key kept beside the database, so that open pages still work after a restart; one that is no key is replaced.

    Raises
    ------
    StoreUnavailable: the file cannot be read or written.
    """
    try:
        kept = path.read_text("utf-8", errors="replace").strip() if path.exists() else ""
        if not KEY.fullmatch(kept):
            path.unlink(missing_ok=True)
            path.touch(mode=0o600)
            kept = token_hex(32)
            path.write_text(kept, "utf-8")
        return kept
    except OSError as fault:
        raise StoreUnavailable(f"{path} cannot be read or written: {fault.strerror}. See who may do so.") from fault


def _secure(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = CONTENT_POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    if request.endpoint != "static":
        response.headers["Cache-Control"] = "no-store"
    return response
