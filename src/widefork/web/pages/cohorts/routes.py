"""Cohorts over HTTP: the page."""

from flask import Blueprint, request

from widefork.web.pages.cohorts.view import build
from widefork.web.shared.context import open_view, render_page

BLUEPRINT = Blueprint("cohorts", __name__, template_folder="templates")


@BLUEPRINT.get("/m/<int:model_id>/cohorts")
def show(model_id: int) -> str:
    """Show a line by who came in when."""
    view = open_view(model_id, "cohorts")
    return render_page(view, "cohorts/page.html", page=build(view, request.args.to_dict()))
