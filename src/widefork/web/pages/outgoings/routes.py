"""Every outgoing over HTTP: the page."""

from flask import Blueprint

from widefork.web.pages.outgoings.view import build
from widefork.web.shared.context import open_view, render_page

BLUEPRINT = Blueprint("outgoings", __name__, template_folder="templates")


@BLUEPRINT.get("/m/<int:model_id>/outgoings")
def show(model_id: int) -> str:
    """Show every outgoing."""
    view = open_view(model_id, "outgoings")
    return render_page(view, "outgoings/page.html", out=build(view))
