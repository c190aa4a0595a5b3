"""Terms over HTTP: the page, one address for each thing its forms do, and putting a payment off."""

from flask import Blueprint, Response, request

from widefork.store.edits import CellsBack, back_to_parent
from widefork.web.pages.terms.form_edits import form_edit, put_off
from widefork.web.pages.terms.view import build
from widefork.web.shared.context import change_values, make_edit, open_view, refuse_sketch, render_page

BLUEPRINT = Blueprint(
    "terms", __name__, template_folder="templates", static_folder="static", static_url_path="/static/pages/terms"
)


@BLUEPRINT.get("/m/<int:model_id>/terms")
def show(model_id: int) -> str:
    """Show the schedules, and one of them open."""
    view = open_view(model_id, "terms")
    return render_page(
        view, "terms/page.html", terms=build(view, request.args.get("open", ""), request.args.get("new", ""))
    )


@BLUEPRINT.post("/m/<int:model_id>/terms/put-off")
def put_payment_off(model_id: int) -> Response:
    """Put a settlement off in the active case, or in the sketch."""
    view = open_view(model_id, "terms")
    change, sentence = put_off(view.snapshot.model, request.form)
    return change_values(view, view.address.case, [change], sentence)


@BLUEPRINT.post("/m/<int:model_id>/terms/take-back")
def take_back(model_id: int) -> Response:
    """Take what the active case does to a calculated line out of it again."""
    view = open_view(model_id, "terms")
    refuse_sketch(view)
    line = view.snapshot.model.line(request.form.get("line", ""))
    case = view.snapshot.model.case(view.address.case)
    sentence = f"{line.label}: as the terms say again in {case.label}"
    return make_edit(model_id, back_to_parent(case.name, [CellsBack(line.name)], sentence))


@BLUEPRINT.post("/m/<int:model_id>/terms/<doing>")
def change(model_id: int, doing: str) -> Response:
    """Make one edit of the terms; they belong to the model, and so to every case."""
    view = open_view(model_id, "terms")
    refuse_sketch(view)
    return make_edit(model_id, form_edit(doing, view.snapshot.stored.model, request.form))
