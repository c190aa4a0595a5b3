"""Roots over HTTP: a panel over any page; a page of strips at the same address; trying an assumption; kept views."""

from flask import Blueprint, Response, make_response, redirect, render_template, request

from widefork.core.axes import Month
from widefork.core.changes import Change, Operation
from widefork.core.errors import InvalidValue
from widefork.web.pages.roots.page_view import build_page, build_pulls
from widefork.web.pages.roots.steps import Step, read_way
from widefork.web.pages.roots.strips import AGAINST, THAN
from widefork.web.pages.roots.view import build
from widefork.web.shared import formats
from widefork.web.shared.context import View, change_values, open_view, person, render_page, store, workspace
from widefork.web.shared.totals import scaled_to, stands_for_members

BLUEPRINT = Blueprint(
    "roots", __name__, template_folder="templates", static_folder="static", static_url_path="/static/pages/roots"
)
LONGEST_VIEW_NAME, LONGEST_QUERY = 60, 4000


def read_step(view: View) -> Step:
    """Return the figure the address is about."""
    try:
        first = Month.parse(request.args.get("start", ""))
        last = Month.parse(request.args.get("end", str(first)))
    except InvalidValue:
        first = last = view.address.last
    members = tuple(part for part in request.args.get("at", "").split("/") if part)
    return Step(line=request.args.get("line", ""), members=members, first=first, last=last)


@BLUEPRINT.get("/m/<int:model_id>/roots")
def show(model_id: int) -> str:
    """Explain one value."""
    view = open_view(model_id, "roots")
    step = read_step(view)
    way = request.args.get("way", "")
    roots = build(view, step.line, step.members, step.first, step.last, way)
    if request.headers.get("HX-Request") and request.headers.get("HX-Target") == "roots":
        return render_template("roots/_panel.html", roots=roots, address=view.address)
    than = request.args.get("than", "")
    entry = store().latest_on_line(model_id, step.line)
    latest = f"{entry.person}, {entry.made_at[:16].replace('T', ' ')}: {entry.sentence}" if entry else ""
    page = build_page(view, read_way(view, way, step), _than(view, than), latest, request.args.get("split", ""))
    return render_page(view, "roots/page.html", page=page, roots=roots, views=store().shelf.views(model_id, "roots"))


def _than(view: View, asked: str) -> str:
    """What a difference is asked against; empty for none, or a case that is not there."""
    cases = {f"{AGAINST}{case.name}" for case in view.snapshot.model.cases if case.name != view.address.case}
    return asked if asked in THAN or asked in cases else ""


@BLUEPRINT.get("/m/<int:model_id>/roots/pull")
def pull(model_id: int) -> str:
    """Rank what a figure hangs on most."""
    view = open_view(model_id, "roots")
    step = read_step(view)
    view.snapshot.model.line(step.line)
    return render_template("roots/_pulls.html", pulls=build_pulls(view, step))


@BLUEPRINT.post("/m/<int:model_id>/roots/try")
def try_amount(model_id: int) -> Response:
    """Try an amount on an assumption; what is tried here is always a sketch."""
    view = open_view(model_id, "roots")
    form = request.form
    model = view.snapshot.model
    line, case = model.line(form.get("line", "")), model.case(form.get("case", ""))
    members = tuple(part for part in form.get("at", "").split("/") if part)
    if not line.is_assumption or (members and members not in model.keys_of(line)):
        raise InvalidValue(f"{line.label} is not given here, so no amount can be tried on it.")
    first = Month.parse(form.get("month", ""))
    model.timeline.index(first)
    if model.timeline.is_actual(first):
        raise InvalidValue("Actual months are history and stay as they are.")
    last = Month.parse(form.get("last", "")) if form.get("reach") == "only" else None
    typed = formats.read_typed(form.get("value", ""), line.unit)
    at = tuple(zip(line.dimensions, members, strict=False))
    changes: tuple[Change, ...] = (Change(line.name, typed.operation, typed.amount, at, first, last),)
    if typed.operation is Operation.SET and stands_for_members(line, members, model):
        months = model.timeline.months[model.timeline.span(first, last)]
        changes = scaled_to(view.snapshot, case.name, line, dict.fromkeys(months, typed.amount))
    workspace().sketches.start(model_id, person(), case.name)
    said = " ".join(form.get("value", "").split())
    reach = f"{first.label} to {last.label}" if last else f"from {first.label}"
    where = f"{line.label}, {', '.join(members)}" if members else line.label
    return change_values(open_view(model_id, "roots"), case.name, changes, f"{where}: {said} {reach}")


@BLUEPRINT.post("/m/<int:model_id>/roots/views")
def keep_view(model_id: int) -> Response:
    """Keep this way down under a name, or forget one."""
    form = request.form
    name = " ".join(form.get("name", "").split())
    query = form.get("query", "").partition("?")[2][:LONGEST_QUERY] if form.get("do") != "forget" else ""
    if not name or len(name) > LONGEST_VIEW_NAME:
        raise InvalidValue(f"A kept view needs a name of 1 to {LONGEST_VIEW_NAME} letters.")
    if not query and form.get("do") != "forget":
        raise InvalidValue("There is nothing to keep. Open a figure first.")
    store().shelf.keep_view(model_id, "roots", name, query)
    back = form.get("query", "")
    there = back if back.startswith(f"/m/{model_id}/roots?") else f"/m/{model_id}/lookout"
    return make_response(redirect(there, code=303))
