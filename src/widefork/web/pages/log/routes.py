"""The log's one address."""

from flask import Blueprint

from widefork.web.shared.context import open_view, render_page, store

BLUEPRINT = Blueprint("log", __name__, template_folder="templates")
ENTRIES_SHOWN = 200


@BLUEPRINT.get("/m/<int:model_id>/log")
def show(model_id: int) -> str:
    """Show the latest edits, newest first."""
    return render_page(open_view(model_id, "log"), "log/page.html", entries=store().log(model_id, ENTRIES_SHOWN))
