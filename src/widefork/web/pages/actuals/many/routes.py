"""All series over HTTP: studied, stopped, written into the plan together."""

from flask import Blueprint, Response, request

from widefork.core.analysis.trends import all_known
from widefork.core.errors import InvalidValue
from widefork.web.pages.actuals.many.page import USUAL_ADDING, build_all, find_all
from widefork.web.pages.actuals.many.studying import stop_studying, studying
from widefork.web.pages.actuals.many.writing import writing_many
from widefork.web.pages.actuals.tabs import tabs_of
from widefork.web.pages.actuals.trends.asked import Asked, read_asked
from widefork.web.pages.actuals.trends.writing import name_of_forecast
from widefork.web.shared.context import View, back_to, make_edit, open_view, refuse_sketch, render_page

LONG_PATIENCE = 60.0
"""Seconds an edit waits for forecasts, which a page has usually shown before."""


def show_all(view: View) -> str:
    """Show all series, or how far they are."""
    turn = request.args.get("making", "")
    shown = tuple(part for part in request.args.get("whole", "").replace("+", " ").split() if part)
    page = build_all(view, request.args, shown)
    cases = [(case.name, case.label) for case in view.snapshot.model.cases]
    return render_page(view, "actuals/trends_all.html", all=page, cases=cases, tabs=tabs_of(view, "trends"),
                       turn=int(turn) + 1 if turn.isdecimal() else 1)  # fmt: skip


def add_routes(blueprint: Blueprint) -> None:
    """Let the page's blueprint answer what the page's forms send."""

    @blueprint.post("/m/<int:model_id>/actuals/trends/stop")
    def trends_stop(model_id: int) -> Response:
        """End the study; what was forecast is kept."""
        view = open_view(model_id, "actuals")
        known = all_known(view.snapshot.model)
        stop_studying(known, _asked(view).recipe, view.snapshot.model.timeline)
        return back_to(None)

    @blueprint.post("/m/<int:model_id>/actuals/trends/write_all")
    def trends_write_all(model_id: int) -> Response:
        """Write chosen forecasts into the active case, and their low into another."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        asked = _asked(view)
        model = view.snapshot.model
        job = studying(all_known(model), asked.recipe, model.timeline, LONG_PATIENCE)
        if job.fault is not None:
            raise job.fault
        if job.is_running:
            raise InvalidValue("The forecasts are still being made. Wait for them, then write them into the plan.")
        found = find_all(view, asked.recipe, request.form.get("adding", USUAL_ADDING), job.found)
        low = request.form.get("low_case", "")
        low_case = model.case(low).name if low else ""
        name = name_of_forecast(request.form)
        edit, _ = writing_many(view, found, asked.recipe, name, request.form.getlist("chosen"), low_case)
        return make_edit(model_id, edit)


def _asked(view: View) -> Asked:
    known = all_known(view.snapshot.model)
    if not known:
        raise InvalidValue("Nothing is known yet that could be forecast. Bring in what happened, or close a month.")
    asked = read_asked(request.form, known[0])
    if asked.faults:
        raise InvalidValue(next(iter(asked.faults.values())))
    return asked
