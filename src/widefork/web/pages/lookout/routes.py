"""The Lookout's one address."""

from flask import Blueprint, request

from widefork.web.pages.lookout.view import build
from widefork.web.shared.context import open_view, render_page

BLUEPRINT = Blueprint("lookout", __name__, template_folder="templates")


@BLUEPRINT.get("/m/<int:model_id>/lookout")
def show(model_id: int) -> str:
    """Show the overview."""
    view = open_view(model_id, "lookout")
    return render_page(view, "lookout/page.html", lookout=build(view, request.args.get("sort", "")))
