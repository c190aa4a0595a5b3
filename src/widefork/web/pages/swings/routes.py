"""Swings' one address."""

from flask import Blueprint, request

from widefork.core.analysis.sensitivity import Way
from widefork.core.errors import InvalidValue
from widefork.web.pages.swings.view import build
from widefork.web.shared.context import open_view, render_page
from widefork.web.shared.formats import read_number

BLUEPRINT = Blueprint("swings", __name__, template_folder="templates")
USUAL_SHARE = "10"


@BLUEPRINT.get("/m/<int:model_id>/swings")
def show(model_id: int) -> str:
    """Show every assumption's effect on the chosen figure."""
    view = open_view(model_id, "swings")
    typed = request.args.get("share", USUAL_SHARE)
    figures = view.snapshot.model.figures
    asked = request.args.get("figure", figures[0].name if figures else "")
    way = Way(request.args.get("by_way", "")) if request.args.get("by_way", "") in list(Way) else Way.SHARE
    swings, fault = None, ""
    try:
        share = read_number(typed.strip().removesuffix("%")) / 100
        swings = build(view, asked, share, way) if figures else None
    except InvalidValue as wrong:
        fault = wrong.sentence
    return render_page(
        view, "swings/page.html", swings=swings, typed=typed, fault=fault, asked=asked, figures=figures, way=way.value
    )
