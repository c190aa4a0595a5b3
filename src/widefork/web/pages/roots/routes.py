"""Roots: a panel over any page, and a page of its own at the same address."""

from flask import Blueprint, render_template, request

from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.web.pages.roots.view import build
from widefork.web.shared.context import open_view, render_page

BLUEPRINT = Blueprint("roots", __name__, template_folder="templates")


@BLUEPRINT.get("/m/<int:model_id>/roots")
def show(model_id: int) -> str:
    """Explain one value."""
    view = open_view(model_id, "roots")
    line = request.args.get("line", "")
    members = tuple(part for part in request.args.get("at", "").split("/") if part)
    try:
        first = Month.parse(request.args.get("start", ""))
        last = Month.parse(request.args.get("end", str(first)))
    except InvalidValue:
        first = last = view.address.last
    roots = build(view, line, members, first, last, request.args.get("way", ""))
    if request.headers.get("HX-Request"):
        return render_template("roots/_panel.html", roots=roots, address=view.address)
    return render_page(view, "roots/page.html", roots=roots)
