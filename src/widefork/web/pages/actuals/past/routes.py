"""History over HTTP: tables on their way in, and steps on a series."""

from dataclasses import replace

from flask import Blueprint, Response, request

from widefork.core.analysis.trends import carrying, known_of
from widefork.core.errors import InvalidValue
from widefork.core.history import Step
from widefork.store import edits
from widefork.web.pages.actuals.past.incoming import placed_incoming, read_incoming, taking
from widefork.web.pages.actuals.past.page import build_history
from widefork.web.pages.actuals.past.steps import read_step
from widefork.web.pages.actuals.tabs import tabs_of
from widefork.web.shared.context import (
    View,
    back_to,
    make_edit,
    open_view,
    person,
    refuse_sketch,
    render_page,
    with_query,
    workspace,
)


def show_history(view: View) -> str:
    """Show the tab."""
    page = build_history(view, request.args, person())
    return render_page(view, "actuals/history.html", past=page, tabs=tabs_of(view, "history"))


def add_routes(blueprint: Blueprint) -> None:
    """Let the page's blueprint answer what the tab's forms send."""

    @blueprint.post("/m/<int:model_id>/actuals/history/read")
    def history_read(model_id: int) -> Response:
        """Take a pasted or loaded table as one's own, to be looked through."""
        workspace().incoming.keep(model_id, person(), read_incoming(request.form, request.files.get("file")))
        return back_to(None)

    @blueprint.post("/m/<int:model_id>/actuals/history/place")
    def history_place(model_id: int) -> Response:
        """Keep where series go."""
        _kept_places(model_id)
        return back_to(None)

    @blueprint.post("/m/<int:model_id>/actuals/history/drop")
    def history_drop(model_id: int) -> Response:
        """Forget one's table that is not in the model yet."""
        workspace().incoming.drop(model_id, person())
        return back_to(None)

    @blueprint.post("/m/<int:model_id>/actuals/history/take")
    def history_take(model_id: int) -> Response:
        """Take one's table into the model, as one edit."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        edit, taken = taking(_kept_places(model_id), view.snapshot.model)
        response = make_edit(model_id, edit)
        workspace().incoming.drop(model_id, person())
        return with_query(response, view="history", series=taken[0].name)

    @blueprint.post("/m/<int:model_id>/actuals/history/step")
    def history_step(model_id: int) -> Response:
        """Take a step on a series, or do one there is in another way."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        known = known_of(view.snapshot.model, request.form.get("series", ""))
        steps = list(known.steps)
        at = request.form.get("place", "")
        if at.isdecimal() and int(at) < len(steps):
            old = steps[int(at)]
            steps[int(at)] = Step(old.kind, old.month, request.form.get("way", ""), old.note)
            said = f"{known.label}: {old.month.label}, {request.form.get('way', '')}"
        else:
            step = read_step(request.form, known)
            steps.append(step)
            said = f"{known.label}: {step.kind.value} {step.month.label}{', ' if step.way else ''}{step.way}"
        return make_edit(model_id, _steps_edit(view, known.name, steps, said))

    @blueprint.post("/m/<int:model_id>/actuals/history/unstep")
    def history_unstep(model_id: int) -> Response:
        """Take a step back."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        known = known_of(view.snapshot.model, request.form.get("series", ""))
        at = request.form.get("place", "")
        if not at.isdecimal() or int(at) >= len(known.steps):
            raise InvalidValue("This step is no longer there; somebody took it back. Look again.")
        steps = [step for place, step in enumerate(known.steps) if place != int(at)]
        said = f"{known.label}: {known.steps[int(at)].kind.value} {known.steps[int(at)].month.label} taken back"
        return make_edit(model_id, _steps_edit(view, known.name, steps, said))

    @blueprint.post("/m/<int:model_id>/actuals/history/remove")
    def history_remove(model_id: int) -> Response:
        """Forget the history of a series, with its steps and forecasts."""
        view = open_view(model_id, "actuals")
        refuse_sketch(view)
        known = known_of(view.snapshot.model, request.form.get("series", ""))
        response = make_edit(model_id, edits.remove_history(known.name, f"{known.label}: history removed"))
        return with_query(response, series="")


def _kept_places(model_id: int) -> dict[str, object]:
    """Keep the table with what the form says of it; return it."""
    document = workspace().incoming.of(model_id, person())
    if document is None:
        raise InvalidValue("Your table is no longer here: it was taken in or dropped. Paste it again.")
    form = request.form
    kept = placed_incoming(document, form, form.getlist("source"), form.getlist("place"))
    workspace().incoming.keep(model_id, person(), kept)
    return kept


def _steps_edit(view: View, name: str, steps: list[Step], sentence: str) -> edits.Apply:
    """The edit of a series' steps; one that is known from actual months only gets a history to carry them."""
    known = known_of(view.snapshot.model, name)
    if known.history is not None:
        return edits.set_history_steps(name, steps, sentence)
    return edits.take_histories([replace(carrying(known), steps=tuple(steps))], sentence)
