"""Frame over HTTP: the page, and one address for each thing its forms do."""

from flask import Blueprint, Response, request

from widefork.web.pages.frame.form_edits import form_edit
from widefork.web.pages.frame.view import build
from widefork.web.shared.context import make_edit, open_view, refuse_sketch, render_page

BLUEPRINT = Blueprint(
    "frame", __name__, template_folder="templates", static_folder="static", static_url_path="/static/pages/frame"
)


@BLUEPRINT.get("/m/<int:model_id>/frame")
def show(model_id: int) -> str:
    """Show what the model stands on."""
    view = open_view(model_id, "frame")
    return render_page(view, "frame/page.html", part=build(view))


@BLUEPRINT.post("/m/<int:model_id>/frame/<doing>")
def change(model_id: int, doing: str) -> Response:
    """Make one edit of the frame."""
    view = open_view(model_id, "frame")
    refuse_sketch(view)
    return make_edit(model_id, form_edit(doing, view.snapshot.stored.model, request.form))
