"""What drives a series over HTTP: shown, and written into the plan as a formula."""

from flask import Blueprint, Response, request

from widefork.core.analysis.trends import known_of
from widefork.core.errors import InvalidValue
from widefork.web.pages.actuals.driven.asked import read_driven
from widefork.web.pages.actuals.driven.explaining import explained_by_name, explaining
from widefork.web.pages.actuals.driven.page import build_driven
from widefork.web.pages.actuals.driven.writing import writing_formula
from widefork.web.pages.actuals.tabs import tabs_of
from widefork.web.pages.actuals.trends.asked import read_asked
from widefork.web.shared.context import View, make_edit, open_view, refuse_sketch, render_page

LONG_PATIENCE = 60.0
"""Seconds an edit waits for what a page has usually shown before."""


def show_driven(view: View) -> str:
    """Show what drives a series, or how far the work is."""
    turn = request.args.get("making", "")
    page = build_driven(view, request.args)
    return render_page(view, "actuals/driven.html", page=page, tabs=tabs_of(view, "trends"),
                       turn=int(turn) + 1 if turn.isdecimal() else 1)  # fmt: skip


def add_routes(blueprint: Blueprint) -> None:
    """Let the page's blueprint answer what the page's forms send."""

    @blueprint.post("/m/<int:model_id>/actuals/trends/formula")
    def trends_formula(model_id: int) -> Response:
        """Write a line as a formula of what drives it, for all its members."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        known = known_of(view.snapshot.model, request.form.get("series", ""))
        asked, driven = read_asked(request.form, known), read_driven(request.form, known, view.snapshot.plan)
        if driven.fault or not driven.causes:
            raise InvalidValue(driven.fault or "Choose what drives the series first.")
        job = explaining(view, known, driven.causes, asked.recipe, LONG_PATIENCE)
        if job.fault is not None:
            raise job.fault
        if job.is_running:
            raise InvalidValue("It is still being explained. Wait for it, then write the formula.")
        return make_edit(model_id, writing_formula(view, known, driven.causes, explained_by_name(job)))
