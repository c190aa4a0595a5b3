"""All series over HTTP: studied, stopped, tried, written into the plan together, made anew when more is known."""

from collections.abc import Mapping

from flask import Blueprint, Response, request

from widefork.core.analysis.trends import Studied, all_known
from widefork.core.errors import InvalidValue
from widefork.web.pages.actuals.many.anew import asks_anew, build_anew, stale_of, writing_anew
from widefork.web.pages.actuals.many.page import Found, adding_of, asks_of, build_all, find_all
from widefork.web.pages.actuals.many.studying import Ask, go_on_studying, stop_studying, studying
from widefork.web.pages.actuals.many.writing import trying_many, writing_many
from widefork.web.pages.actuals.tabs import tabs_of
from widefork.web.pages.actuals.trends.asked import read_asked
from widefork.web.pages.actuals.trends.writing import name_of_forecast
from widefork.web.shared.context import (
    View,
    back_to,
    make_edit,
    open_view,
    refuse_sketch,
    render_page,
    try_in_sketch,
    with_query,
)
from widefork.web.shared.trial import under_trial

LONG_PATIENCE = 60.0
"""Seconds an edit waits for forecasts, which a page has usually shown before."""
TRIED = "Trends: "
"""What begins the sentences of what this tab puts into a sketch."""


def show_all(view: View) -> str:
    """Show all series, or how far they are."""
    turn = request.args.get("making", "")
    own = under_trial(view, TRIED)
    page = build_all(own, request.args, tuple(request.args.get("groups", "").split()))
    cases = [(case.name, case.label) for case in view.snapshot.model.cases]
    return render_page(view, "actuals/trends_all.html", all=page, cases=cases, tabs=tabs_of(view, "trends"),
                       turn=int(turn) + 1 if turn.isdecimal() else 1)  # fmt: skip


def show_anew(view: View) -> str:
    """Show the forecasts that can be made anew, as they were and as they are now."""
    turn = request.args.get("making", "")
    return render_page(view, "actuals/trends_anew.html", anew=build_anew(view), tabs=tabs_of(view, "trends"),
                       turn=int(turn) + 1 if turn.isdecimal() else 1)  # fmt: skip


def add_routes(blueprint: Blueprint) -> None:
    """Let the page's blueprint answer what the page's forms send."""

    @blueprint.post("/m/<int:model_id>/actuals/trends/stop")
    def trends_stop(model_id: int) -> Response:
        """End the study; what was forecast is kept."""
        view = open_view(model_id, "actuals")
        stop_studying(_asks(view), view.snapshot.model)
        return back_to(None)

    @blueprint.post("/m/<int:model_id>/actuals/trends/go_on")
    def trends_go_on(model_id: int) -> Response:
        """Take up a study that was ended."""
        view = open_view(model_id, "actuals")
        go_on_studying(_asks(view), view.snapshot.model)
        return back_to(None)

    @blueprint.post("/m/<int:model_id>/actuals/trends/write_all")
    def trends_write_all(model_id: int) -> Response:
        """Write chosen forecasts into the active case, and their low into another."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        found, model = _found(view), view.snapshot.model
        low = request.form.get("low_case", "")
        low_case = model.case(low).name if low else ""
        edit, _ = writing_many(view, found, name_of_forecast(request.form), request.form.getlist("chosen"), low_case)
        return make_edit(model_id, edit)

    @blueprint.post("/m/<int:model_id>/actuals/trends/try_all")
    def trends_try_all(model_id: int) -> Response:
        """Try chosen forecasts in the sketch."""
        view = open_view(model_id, "actuals")
        own = under_trial(view, TRIED)
        name = name_of_forecast(request.form)
        steps, words = trying_many(own, _found(own), name, request.form.getlist("chosen"))
        try_in_sketch(view, view.address.case, steps, TRIED, words)
        return back_to(None)

    @blueprint.post("/m/<int:model_id>/actuals/trends/write_anew")
    def trends_write_anew(model_id: int) -> Response:
        """Take chosen forecasts as they are made now, wherever the plan rests on them."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        asks = asks_anew(stale_of(view.snapshot.model))
        studied = _studied(view, asks)
        edit = writing_anew(view, request.form.getlist("chosen"), studied)
        return with_query(make_edit(model_id, edit), making="")


def _asks(view: View) -> tuple[Ask, ...]:
    model = view.snapshot.model
    known = all_known(model)
    if not known:
        raise InvalidValue("Nothing is known yet that could be forecast. Bring in what happened, or close a month.")
    asked = read_asked(request.form, known[0])
    if asked.faults:
        raise InvalidValue(next(iter(asked.faults.values())))
    return asks_of(model, asked.recipe, adding_of(request.form), request.form.get("borrow", ""))


def _found(view: View) -> Found:
    asks = _asks(view)
    return find_all(view, asks, _studied(view, asks))


def _studied(view: View, asks: tuple[Ask, ...]) -> Mapping[str, Studied]:
    job = studying(asks, view.snapshot.model, LONG_PATIENCE)
    if job.fault is not None:
        raise job.fault
    if job.is_running:
        raise InvalidValue("The forecasts are still being made. Wait for them, then write them into the plan.")
    found: Mapping[str, Studied] = job.found
    return found
