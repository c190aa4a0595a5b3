"""The application factory."""

from pathlib import Path
from secrets import token_hex

from flask import Flask, Response, request
from flask_wtf.csrf import CSRFProtect

from widefork.store.database import open_database
from widefork.store.model_store import ModelStore
from widefork.web import errors, front
from widefork.web.pages import PAGES
from widefork.web.shared import edits, filters, rounds
from widefork.web.shared.finder import init_finder
from widefork.web.shared.workspace import Workspace

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


def create_app(data_folder: Path) -> Flask:
    """Return the application on the models in a folder, which is created where needed."""
    data_folder.mkdir(parents=True, exist_ok=True)
    app = Flask(__name__, template_folder="shared/templates", static_folder="static")
    app.config["SECRET_KEY"] = _secret(data_folder / SECRET_FILE)
    app.config["SESSION_COOKIE_SAMESITE"] = "Lax"
    app.config["MAX_CONTENT_LENGTH"] = 8 * 1024 * 1024
    app.config["WTF_CSRF_TIME_LIMIT"] = None  # a page left open over night must still be able to save
    CSRFProtect(app)
    app.extensions["workspace"] = Workspace(ModelStore(open_database(data_folder / DATABASE_FILE)))
    filters.init_app(app, PAGES)
    errors.init_app(app)
    app.register_blueprint(edits.BLUEPRINT)
    app.register_blueprint(init_finder(PAGES))
    for page in PAGES:
        app.register_blueprint(page.blueprint)
    app.register_blueprint(front.BLUEPRINT)
    app.after_request(_secure)
    rounds.init_app(app)
    return app


def _secret(path: Path) -> str:
    """A key kept beside the database, so that open pages still work after a restart."""
    if not path.exists():
        path.touch(mode=0o600)
        path.write_text(token_hex(32), "utf-8")
    return path.read_text("utf-8")


def _secure(response: Response) -> Response:
    response.headers["Content-Security-Policy"] = CONTENT_POLICY
    response.headers["X-Content-Type-Options"] = "nosniff"
    response.headers["Referrer-Policy"] = "same-origin"
    if request.endpoint != "static":
        response.headers["Cache-Control"] = "no-store"
    return response
