"""Trends over HTTP: forecasts kept, tried and written into the plan."""

from flask import Blueprint, Response, request

from widefork.core.analysis.trends import Known, known_of, plan_rule
from widefork.core.errors import InvalidValue
from widefork.core.history import KeptForecast
from widefork.store import edits
from widefork.web.pages.actuals.tabs import tabs_of
from widefork.web.pages.actuals.trends.asked import read_asked
from widefork.web.pages.actuals.trends.page import build_trends
from widefork.web.pages.actuals.trends.writing import (
    assumption_of,
    change_by,
    keeping,
    made_now,
    name_of_forecast,
    writing,
)
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

TRIED = "Trends: "
"""What begins the sentences of what this tab puts into a sketch."""


def show_trends(view: View) -> str:
    """Show the tab."""
    turn = request.args.get("making", "")
    page = build_trends(under_trial(view, TRIED), request.args)
    return render_page(view, "actuals/trends.html", trends=page, tabs=tabs_of(view, "trends"),
                       turn=int(turn) + 1 if turn.isdecimal() else 1)  # fmt: skip


def add_routes(blueprint: Blueprint) -> None:
    """Let the page's blueprint answer what the tab's forms send."""

    @blueprint.post("/m/<int:model_id>/actuals/trends/write")
    def trends_write(model_id: int) -> Response:
        """Write a forecast into the plan: as the rule of an assumption in the active case, kept with its recipe."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        known, kept = _asked_forecast(view)
        edit, _ = writing(view, known, kept, view.address.case, request.form.get("range") == "yes")
        return with_query(make_edit(model_id, edit), shown=kept.name)

    @blueprint.post("/m/<int:model_id>/actuals/trends/try")
    def trends_try(model_id: int) -> Response:
        """Try a forecast in the sketch."""
        view = open_view(model_id, "actuals")
        known, kept = _asked_forecast(view)
        assumption_of(known)
        change = change_by(known, plan_rule(known, kept, view.snapshot.model.timeline), view.snapshot.model)
        sentence = f"{known.label} as forecast by {kept.label}"
        try_in_sketch(view, view.address.case, [change], TRIED, sentence)
        return back_to(None)

    @blueprint.post("/m/<int:model_id>/actuals/trends/keep")
    def trends_keep(model_id: int) -> Response:
        """Keep a forecast under a name, beside the plan."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        known, kept = _asked_forecast(view)
        edit = keeping(known, kept, f"{known.label}: forecast “{kept.name}” by {kept.label} kept")
        return with_query(make_edit(model_id, edit), shown=kept.name)

    @blueprint.post("/m/<int:model_id>/actuals/trends/forget")
    def trends_forget(model_id: int) -> Response:
        """Keep a forecast no longer."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        known = known_of(view.snapshot.model, request.form.get("series", ""))
        name = request.form.get("name", "")
        edit = edits.drop_forecast(known.name, name, f"{known.label}: forecast “{name}” no longer kept")
        return with_query(make_edit(model_id, edit), shown="")


def _asked_forecast(view: View) -> tuple[Known, KeptForecast]:
    """The forecast a form asks for, made."""
    model = view.snapshot.model
    known = known_of(model, request.form.get("series", ""))
    asked = read_asked(request.form, known)
    if asked.faults:
        raise InvalidValue(next(iter(asked.faults.values())))
    return known, made_now(known, model, asked.recipe, name_of_forecast(request.form))
