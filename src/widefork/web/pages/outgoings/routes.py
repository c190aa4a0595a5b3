"""Every outgoing over HTTP: the page, and the answer that something usual is none of the company's."""

from flask import Blueprint, Response, request

from widefork.store import edits
from widefork.web.pages.outgoings.view import build
from widefork.web.shared.context import make_edit, open_view, refuse_sketch, render_page

BLUEPRINT = Blueprint("outgoings", __name__, template_folder="templates")


@BLUEPRINT.get("/m/<int:model_id>/outgoings")
def show(model_id: int) -> str:
    """Show every outgoing."""
    view = open_view(model_id, "outgoings")
    return render_page(view, "outgoings/page.html", out=build(view))


@BLUEPRINT.post("/m/<int:model_id>/outgoings/answer")
def answer(model_id: int) -> Response:
    """Say that something usual is none of the company's, or ask about it again."""
    refuse_sketch(open_view(model_id, "outgoings"))
    label, is_ours = request.form.get("label", ""), request.form.get("do") == "ask"
    said = "asked about again" if is_ours else "none of ours"
    return make_edit(model_id, edits.answer_usual(label, is_ours, f"{label}: {said}"))
