"""Drivers over HTTP: the sheet, the small editors over a cell or a formula, and the edits they send."""

from flask import Blueprint, Response, render_template, request

from widefork.core.axes import Month
from widefork.core.changes import Change
from widefork.core.lines import MemberKey
from widefork.store.edits import back_to_parent, change_months, set_formula
from widefork.web.pages.drivers.editor import build_editor, describe_edit, refuse_nothing
from widefork.web.pages.drivers.view import build
from widefork.web.shared.context import make_edit, open_view, render_page
from widefork.web.shared.formats import read_typed

BLUEPRINT = Blueprint(
    "drivers", __name__, template_folder="templates", static_folder="static", static_url_path="/static/pages/drivers"
)


@BLUEPRINT.get("/m/<int:model_id>/drivers")
def show(model_id: int) -> str:
    """Show the sheet."""
    view = open_view(model_id, "drivers")
    opened = frozenset(name for name in request.args.get("open", "").split(",") if name)
    return render_page(view, "drivers/page.html", sheet=build(view, opened), opened=opened)


@BLUEPRINT.get("/m/<int:model_id>/drivers/cell")
def open_cell(model_id: int) -> str:
    """Show the editor of one cell."""
    view = open_view(model_id, "drivers")
    line, members, month = _cell(
        request.args.get("line", ""), request.args.get("at", ""), request.args.get("month", "")
    )
    return render_template("drivers/_editor.html", editor=build_editor(view, line, members, month))


@BLUEPRINT.post("/m/<int:model_id>/drivers/cell")
def save_cell(model_id: int) -> Response:
    """Set, raise or scale what was typed into a cell, from its month on or in its month only."""
    view = open_view(model_id, "drivers")
    form = request.form
    line, members, month = _cell(form.get("line", ""), form.get("at", ""), form.get("month", ""))
    model = view.snapshot.model
    case = model.case(form.get("case", "")).name
    entered = read_typed(form.get("value", ""), model.line(line).unit)
    last = month if form.get("reach") == "only" else None
    at = tuple(zip(model.line(line).dimensions, members, strict=False))
    change = Change(line, entered.operation, entered.amount, at, month, last)
    refuse_nothing(view, change, case, members)
    return make_edit(model_id, change_months(case, change, describe_edit(view, change, case, members)))


@BLUEPRINT.post("/m/<int:model_id>/drivers/back")
def back_to_root(model_id: int) -> Response:
    """Drop the active case's own changes of a line."""
    view = open_view(model_id, "drivers")
    form = request.form
    model = view.snapshot.model
    line = model.line(form.get("line", ""))
    case = model.case(form.get("case", ""))
    members = tuple(part for part in form.get("at", "").split("/") if part)
    where = f"{line.label}, {', '.join(members)}" if members else line.label
    sentence = f"{where}: {case.label} back to {model.cases[0].label}"
    return make_edit(model_id, back_to_parent(case.name, line.name, members, sentence))


@BLUEPRINT.get("/m/<int:model_id>/drivers/formula")
def open_formula(model_id: int) -> str:
    """Show the editor of a formula."""
    view = open_view(model_id, "drivers")
    line = view.snapshot.model.line(request.args.get("line", ""))
    problem = view.snapshot.plan.problems.get(line.name)
    return render_template(
        "drivers/_formula.html",
        line=line,
        problem=problem,
        warnings=view.snapshot.plan.warnings.get(line.name, ()),
        seen=view.snapshot.revision,
        address=view.address,
    )


@BLUEPRINT.post("/m/<int:model_id>/drivers/formula")
def save_formula(model_id: int) -> Response:
    """Give a line another formula."""
    view = open_view(model_id, "drivers")
    line = view.snapshot.model.line(request.form.get("line", ""))
    text = request.form.get("formula", "")
    return make_edit(model_id, set_formula(line.name, text, f"{line.label}: formula now {' '.join(text.split())}"))


def _cell(line: str, at: str, month: str) -> tuple[str, MemberKey, Month]:
    return line, tuple(part for part in at.split("/") if part), Month.parse(month)
