"""Core errors to HTTP, in one place. A fault of the person's input says what to do; nothing else is shown."""

import re
from collections.abc import Iterable

from flask import Flask, current_app, render_template, request
from flask_wtf.csrf import CSRFError
from werkzeug.exceptions import HTTPException, SecurityError

from widefork.core.errors import UnknownName, WideforkError
from widefork.store.errors import EditConflict, StoreUnavailable
from widefork.web.shared.context import sentence_of

HOST_NAME = re.compile(r"[A-Za-z0-9.-]{1,253}")
Reply = tuple[str, int, dict[str, str]]


def init_app(app: Flask, places: Iterable[str]) -> None:
    """Register the handlers; ``places`` are names of forms with a place of their own for what was wrong."""
    app.extensions["message_places"] = frozenset(places)
    app.register_error_handler(WideforkError, _core_error)
    app.register_error_handler(HTTPException, _http_error)


def _core_error(fault: WideforkError) -> Reply:
    status = 404 if isinstance(fault, UnknownName) and request.method == "GET" else 422
    if isinstance(fault, StoreUnavailable):
        status = 503
    if isinstance(fault, EditConflict):
        return _reply("shared/_conflict.html", 409, fault=fault)
    return _reply(
        "shared/_message.html",
        status,
        sentence=sentence_of(fault),
        caret=getattr(fault, "caret", ""),
        offers=getattr(fault, "offers", ()),
    )


def _http_error(fault: HTTPException) -> Reply:
    sentences = {
        403: "This came from a page of another site, so it was not taken.",
        404: "There is nothing at this address. It may have been renamed or removed.",
        400: "The page is too old to send this. Reload it and try again; what you typed is still in the field.",
        500: "Something went wrong on our side. Reload the page: it shows whether your edit is in.",
    }
    code = fault.code or 500
    if isinstance(fault, CSRFError):
        code = 400
    if isinstance(fault, SecurityError):
        return _plain(f"This name is not one the server answers to. Start it with --allow-host {fault_host()}.", 400)
    return _reply("shared/_message.html", code, sentence=sentences.get(code, fault.name), caret="")


def _plain(sentence: str, status: int) -> Reply:
    return sentence, status, {"Content-Type": "text/plain; charset=utf-8"}


def fault_host() -> str:
    """The name a request was sent to, as far as it is one."""
    name = request.environ.get("HTTP_HOST", "").rpartition(":")[0] or request.environ.get("HTTP_HOST", "")
    return name if HOST_NAME.fullmatch(name) else "NAME"


def message_place(name: str) -> str:
    """Where a message about a form goes: its own place, or else the bar under the page's head."""
    return f"#{name}-message" if name in current_app.extensions["message_places"] else "#message"


def _reply(template: str, status: int, **values: object) -> Reply:
    """A fragment beside the form for htmx; a whole small page otherwise."""
    if request.headers.get("HX-Request"):
        headers = {"HX-Retarget": message_place(request.form.get("message_at", "")), "HX-Reswap": "innerHTML"}
        return render_template(template, **values), status, headers
    return render_template("shared/error.html", fragment=template, **values), status, {}
