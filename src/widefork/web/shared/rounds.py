"""An edit and the page after it in one round: the page's own script gets what changed, a plain form its redirect."""

from io import BytesIO
from urllib.parse import urlsplit

from flask import Flask, Response, after_this_request, current_app, request
from flask_wtf.csrf import generate_csrf

from widefork.web.shared.patches import PagesSent

SHOWN_HEADER, PATCH_HEADER = "X-Shown", "X-Patch"
EXTENSION = "pages_sent"


ADDRESS_HEADER = "X-Address"
"""Says which address the browser shows from now on, where a form leads to another view."""


def init_app(app: Flask) -> None:
    """Let edits be answered in one round."""
    app.extensions[EXTENSION] = PagesSent()
    app.after_request(_answer_with_page)


def send_page(page: str) -> str:
    """Return what to send for a rendered page: all of it, or what changed of the one that is shown."""
    sent: PagesSent = current_app.extensions[EXTENSION]
    is_for_script = request.headers.get("HX-Target") == "body"
    shown = request.headers.get(SHOWN_HEADER, "") if is_for_script else ""
    text, is_patch = sent.send(page, shown, generate_csrf())
    if is_patch:
        after_this_request(_mark)
    return text


def send_piece(piece: str) -> str:
    """Return a part of the page that is shown, loaded by itself."""
    sent: PagesSent = current_app.extensions[EXTENSION]
    return sent.add(piece, request.headers.get(SHOWN_HEADER, ""))


def _mark(response: Response) -> Response:
    response.headers[PATCH_HEADER] = "1"
    return response


def _answer_with_page(response: Response) -> Response:
    """Where the page's own script made an edit, show it where it would have been led."""
    is_led_on = request.method == "POST" and response.status_code == 303
    if not is_led_on or not request.headers.get(SHOWN_HEADER):
        return response
    try:
        page = _page_at(response.location or "/")
    except Exception:  # what was edited is stored: whatever is wrong with the page is shown where it leads
        current_app.logger.exception("The page after an edit could not be shown")
        return response
    for cookie in response.headers.getlist("Set-Cookie"):
        page.headers.add("Set-Cookie", cookie)
    if ADDRESS_HEADER in response.headers:
        page.headers[ADDRESS_HEADER] = response.headers[ADDRESS_HEADER]
    return page


def _page_at(address: str) -> Response:
    parts = urlsplit(address)
    environ = {key: value for key, value in request.environ.items() if not key.startswith("werkzeug.")}
    environ |= {
        "REQUEST_METHOD": "GET", "PATH_INFO": parts.path, "QUERY_STRING": parts.query, "CONTENT_LENGTH": "0",
        "wsgi.input": BytesIO(), "RAW_URI": address, "REQUEST_URI": address,
    }  # fmt: skip
    with current_app.request_context(environ):
        return current_app.full_dispatch_request()
