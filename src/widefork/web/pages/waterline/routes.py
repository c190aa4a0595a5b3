"""The Waterline over HTTP: the page, steps tried in a sketch, and how liquidity is read."""

from flask import Blueprint, Response, request

from widefork.store.edits import add_schedule, change_schedule
from widefork.web.pages.waterline.form_edits import days_edit, level_edit, under_way_edit
from widefork.web.pages.waterline.quick import COMES_LATER, OWED, THERE_IS, USUAL_OUTGOINGS, USUAL_RECEIPTS, start_edit
from widefork.web.pages.waterline.trying import Tried, plan_act, plan_money, plan_proposal
from widefork.web.pages.waterline.view import build
from widefork.web.shared.context import (
    View,
    back_to,
    make_edit,
    open_view,
    person,
    refuse_other_case,
    refuse_sketch,
    render_page,
    seen_revision,
    store,
    workspace,
)

BLUEPRINT = Blueprint("waterline", __name__, template_folder="templates")


@BLUEPRINT.get("/m/<int:model_id>/waterline")
def show(model_id: int) -> str:
    """Show the Waterline by month or by week."""
    view = open_view(model_id, "waterline")
    fold = frozenset(filter(None, request.args.get("fold", "").split(",")))
    asked = request.args
    page = build(
        view, fold, asked.get("act", ""), asked.get("add", ""), asked.get("weeks") == "yes", asked.get("list") == "yes"
    )
    lists = {"usual_in": USUAL_RECEIPTS, "usual_out": USUAL_OUTGOINGS}
    fields = {"there_is": THERE_IS, "comes_later": COMES_LATER, "owed": OWED}
    return render_page(view, "waterline/page.html", water=page, **lists, **fields)


@BLUEPRINT.post("/m/<int:model_id>/waterline/act")
def act(model_id: int) -> Response:
    """Do something about a payment, in the sketch."""
    view = open_view(model_id, "waterline")
    return _try(view, plan_act(view, request.form))


@BLUEPRINT.post("/m/<int:model_id>/waterline/add")
def add(model_id: int) -> Response:
    """Add money, in the sketch."""
    view = open_view(model_id, "waterline")
    return _try(view, plan_money(view, request.form))


@BLUEPRINT.post("/m/<int:model_id>/waterline/propose")
def propose(model_id: int) -> Response:
    """Take what is proposed, in the sketch."""
    view = open_view(model_id, "waterline")
    return _try(view, plan_proposal(view, request.form))


@BLUEPRINT.post("/m/<int:model_id>/waterline/take-back")
def take_back(model_id: int) -> Response:
    """Take one step out of the sketch."""
    step = request.form.get("step", "")
    workspace().sketches.remove(model_id, person(), int(step) if step.isascii() and step.isdecimal() else -1)
    return back_to(None)


@BLUEPRINT.post("/m/<int:model_id>/waterline/level")
def level(model_id: int) -> Response:
    """Say how low cash may go."""
    view = open_view(model_id, "waterline")
    refuse_sketch(view)
    return make_edit(model_id, level_edit(view.snapshot.model, request.form))


@BLUEPRINT.post("/m/<int:model_id>/waterline/days")
def days(model_id: int) -> Response:
    """Say when in the month a receipt or payment moves."""
    view = open_view(model_id, "waterline")
    return make_edit(model_id, days_edit(view.snapshot.model, request.form))


@BLUEPRINT.post("/m/<int:model_id>/waterline/under-way")
def under_way(model_id: int) -> Response:
    """Say which receivables are money under way."""
    view = open_view(model_id, "waterline")
    return make_edit(model_id, under_way_edit(view.snapshot.model, request.form))


@BLUEPRINT.post("/m/<int:model_id>/waterline/start")
def start(model_id: int) -> Response:
    """Make a first plan of receipts and payments."""
    view = open_view(model_id, "waterline")
    refuse_sketch(view)
    return make_edit(model_id, start_edit(view.snapshot.model, request.form))


def _try(view: View, tried: Tried) -> Response:
    """Take a step in the person's sketch, switched on for it; a schedule it needs stands at 0 in every case."""
    model_id, case = view.address.model_id, view.address.case
    refuse_other_case(view, case)
    if tried.schedule is not None:
        new = tried.schedule
        sentence = f"{new.label}: stands at 0, for the Waterline"
        is_known = any(given.name == new.name for given in view.snapshot.stored.model.schedules)
        edit = (
            change_schedule(new.name, sentence, settings=dict(new.settings))
            if is_known
            else add_schedule(new.kind, new.name, new.label, dict(new.settings), sentence)
        )
        store().edit(model_id, person(), seen_revision(), edit)
    plan = workspace().now(model_id).plan
    for change in tried.changes:
        plan.check_changeable(change.line)
    workspace().sketches.start(model_id, person(), case)
    workspace().sketches.add(model_id, person(), tried.changes, tried.sentence)
    response = back_to(None)
    response.location = _without(response.location, ("act", "add", "list"))
    return response


def _without(address: str, keys: tuple[str, ...]) -> str:
    """An address without some of its query."""
    path, _, query = address.partition("?")
    kept = [part for part in query.split("&") if part.partition("=")[0] not in keys]
    return f"{path}?{'&'.join(kept)}" if kept else path
