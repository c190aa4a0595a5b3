"""The log over HTTP: the page with its filters, and taking back one edit."""

from flask import Blueprint, Response, request

from widefork.core.errors import InvalidValue
from widefork.web.pages.log.view import build
from widefork.web.shared.context import back_to, open_view, person, refuse_sketch, render_page, store, workspace

LONGEST_NUMBER = 12
BLUEPRINT = Blueprint("log", __name__, template_folder="templates")
LONGEST_NUMBER = 12


@BLUEPRINT.get("/m/<int:model_id>/log")
def show(model_id: int) -> str:
    """Show the latest edits, newest first: all, or those by a person, about a line, a case or a month."""
    view = open_view(model_id, "log")
    return render_page(view, "log/page.html", log=build(view, request.args))


@BLUEPRINT.post("/m/<int:model_id>/log/back")
def take_back(model_id: int) -> Response:
    """Take back one edit that nothing later touches, whoever made it."""
    refuse_sketch(open_view(model_id, "log"))
    before = workspace().now(model_id).revision
    number = request.form.get("revision", "")
    if not number.isdecimal() or len(number) > LONGEST_NUMBER:
        raise InvalidValue("The page has lost track of which edit is meant. Reload it and try again.")
    store().take_back(model_id, person(), int(number))
    return back_to(before)
