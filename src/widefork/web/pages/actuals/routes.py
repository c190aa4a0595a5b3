"""Actuals over HTTP: the page, the books on their way in, closing and opening a month, and a sheet to fill in."""

import csv
from io import StringIO

from flask import Blueprint, Response, make_response, request

from widefork.core.analysis.month_close import Nature
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.files.tables import plain_cell
from widefork.store import edits
from widefork.store.books import Books
from widefork.store.model_store import Stored
from widefork.web.pages.actuals.close import match_of, on_trial, places
from widefork.web.pages.actuals.driven import routes as driven_routes
from widefork.web.pages.actuals.driven.routes import show_driven
from widefork.web.pages.actuals.form_edits import arranged, closing_edit, note_edit, read_books
from widefork.web.pages.actuals.many import routes as many_routes
from widefork.web.pages.actuals.many.anew import stale_of
from widefork.web.pages.actuals.many.routes import show_all, show_anew
from widefork.web.pages.actuals.past import routes as past_routes
from widefork.web.pages.actuals.past.routes import show_history
from widefork.web.pages.actuals.sheet import Sheet
from widefork.web.pages.actuals.tabs import tabs_of
from widefork.web.pages.actuals.trends import routes as trends_routes
from widefork.web.pages.actuals.trends.routes import show_trends
from widefork.web.pages.actuals.variance import value_at
from widefork.web.pages.actuals.view import build
from widefork.web.shared import formats
from widefork.web.shared.context import (
    back_to,
    make_edit,
    open_view,
    person,
    refuse_sketch,
    render_page,
    workspace,
)

BLUEPRINT = Blueprint(
    "actuals", __name__, template_folder="templates", static_folder="static", static_url_path="/static/pages/actuals"
)
past_routes.add_routes(BLUEPRINT)
many_routes.add_routes(BLUEPRINT)
driven_routes.add_routes(BLUEPRINT)
trends_routes.add_routes(BLUEPRINT)


@BLUEPRINT.get("/m/<int:model_id>/actuals")
def show(model_id: int) -> str:
    """Show the months, one of them open; or what happened before them; or what comes next by it."""
    view = open_view(model_id, "actuals")
    if request.args.get("view") == "history":
        return show_history(view)
    if request.args.get("view") == "trends":
        if request.args.get("series"):
            return show_driven(view) if request.args.get("driven") else show_trends(view)
        return show_anew(view) if request.args.get("anew") else show_all(view)
    books = workspace().books.of(model_id, person())
    matches = workspace().books.matches(model_id)
    asked, against, corrects = (request.args.get(key, "") for key in ("close", "against", "correct"))
    page = build(view, asked, against, books, matches, bool(corrects))
    return render_page(
        view, "actuals/page.html", actuals=page, tabs=tabs_of(view, ""), stale=len(stale_of(view.snapshot.model))
    )


@BLUEPRINT.post("/m/<int:model_id>/actuals/read")
def read(model_id: int) -> Response:
    """Take pasted or loaded books as one's own, to be placed."""
    month = _month()
    known = workspace().books.of(model_id, person())
    earlier = Sheet.of_document(known.document) if known is not None and known.month == month else None
    sheet = read_books(request.form, request.files.get("file"), earlier)
    workspace().books.keep(model_id, person(), Books(month, sheet.document))
    return back_to(None)


@BLUEPRINT.post("/m/<int:model_id>/actuals/arrange")
def arrange(model_id: int) -> Response:
    """Keep where accounts go, what is open by age, and why rows differ; faults are shown beside their fields."""
    _arranged_books(model_id)
    return back_to(None)


@BLUEPRINT.post("/m/<int:model_id>/actuals/drop")
def drop(model_id: int) -> Response:
    """Forget one's books that are not in the model yet."""
    workspace().books.drop(model_id, person())
    return back_to(None)


@BLUEPRINT.post("/m/<int:model_id>/actuals/close")
def close(model_id: int) -> Response:
    """Close the month with one's books: as one edit, with seals of the plan before it and of the month closed.

    What was typed into them last comes along, as it may not have arrived by itself yet.
    """
    view = open_view(model_id, "actuals")
    refuse_sketch(view)
    books, sheet = _arranged_books(model_id)
    closed = on_trial(view.snapshot, books.month, sheet, workspace().books.matches(model_id))
    is_correction = view.snapshot.model.timeline.is_actual(books.month)
    edit = closing_edit(closed, request.form.get("unbalanced") == "yes", is_correction)
    before = view.snapshot.stored
    wanted = " ".join(request.form.get("seal", "").split())
    if wanted and any(seal.name == wanted for seal in workspace().seals.of(model_id)):
        raise InvalidValue(f"There is a seal “{wanted}” already; name this one otherwise, or leave it empty.")
    response = make_edit(model_id, edit)
    workspace().books.remember(model_id, {account.name: match_of(account) for account in closed.accounts})
    if wanted:
        _seal_plan(before, books.month)
        workspace().seal(workspace().now(model_id).stored, person(), wanted)
    response.location = f"{without_asks(response.location)}&close={books.month}"
    return response


@BLUEPRINT.post("/m/<int:model_id>/actuals/reopen")
def reopen(model_id: int) -> Response:
    """Make the last month closed plan again; its figures are kept."""
    view = open_view(model_id, "actuals")
    refuse_sketch(view)
    month = _month()
    return make_edit(model_id, edits.reopen_month(month, f"{month.label} opened again"))


@BLUEPRINT.post("/m/<int:model_id>/actuals/note")
def note(model_id: int) -> Response:
    """Say why a row of a month closed differs from its plan."""
    view = open_view(model_id, "actuals")
    refuse_sketch(view)
    month = _month()
    line, said = note_edit(str(month), request.form)
    label = view.snapshot.model.line(line).label
    return make_edit(
        model_id, edits.set_closing_note(month, line, said, f"{label} in {month.label}: {said or 'no note'}")
    )


@BLUEPRINT.get("/m/<int:model_id>/actuals/template.csv")
def template(model_id: int) -> Response:
    """Send every place with what the plan has for the month, to be filled in and pasted back."""
    view = open_view(model_id, "actuals")
    timeline = view.snapshot.model.timeline
    asked = request.args.get("close", "")
    month = Month.parse(asked) if asked else timeline.first_plan
    timeline.index(month)
    text = StringIO()
    rows = csv.writer(text)
    rows.writerow(("account", "plan", month.label))
    for place in places(view.snapshot):
        if place.name and not place.members and place.nature is not Nature.RATE:
            amount = value_at(view.snapshot.results, place.name, month)
            rows.writerow((plain_cell(place.label), formats.written_out(round(amount, 2)), ""))
    response = make_response(text.getvalue())
    response.headers["Content-Type"] = "text/csv; charset=utf-8"
    response.headers["Content-Disposition"] = f'attachment; filename="books-{month}.csv"'
    return response


def without_asks(location: str) -> str:
    """Return an address that no longer asks for a month, or to correct it."""
    path, _, query = location.partition("?")
    kept = [pair for pair in query.split("&") if pair.partition("=")[0] not in ("close", "correct")]
    return f"{path}?{'&'.join(kept)}"


def _month() -> Month:
    return Month.parse(request.form.get("month", ""))


def _arranged_books(model_id: int) -> tuple[Books, Sheet]:
    """Keep the books with what the form says of them; return them."""
    books, sheet = _books(model_id)
    sheet = arranged(sheet, request.form, request.form.getlist("account"), request.form.getlist("place"))
    workspace().books.keep(model_id, person(), Books(books.month, sheet.document))
    return books, sheet


def _books(model_id: int) -> tuple[Books, Sheet]:
    books = workspace().books.of(model_id, person())
    if books is None:
        raise InvalidValue("Your books are no longer here: they were dropped, or the month closed. Paste them again.")
    return books, Sheet.of_document(books.document)


def _seal_plan(before: Stored, month: Month) -> None:
    """Seal the plan as it was, unless a seal has it: a month closed is measured against it from then on."""
    seals = workspace().seals.of(before.id)
    if any(not workspace().sealed(before.id, seal.id).stored.model.timeline.is_actual(month) for seal in seals):
        return
    name = f"Plan before {month.label} was closed"
    if all(seal.name != name for seal in seals):
        workspace().seal(before, person(), name)
