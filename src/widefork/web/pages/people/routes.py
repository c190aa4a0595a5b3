"""People over HTTP: the page, and one address for each thing its forms do."""

from collections.abc import Callable
from urllib.parse import urlencode

from flask import Blueprint, Response, request
from werkzeug.datastructures import MultiDict

from widefork.core.changes import Change
from widefork.core.errors import InvalidValue
from widefork.store.edits import Apply
from widefork.web.pages.people.plan import TeamPlan, team_plan
from widefork.web.pages.people.planning.filling import ask_edit, choose_edit, staff_edit
from widefork.web.pages.people.planning.many import many_at_once, proposal_for, shock
from widefork.web.pages.people.planning.seats import pasted_seats, removed_seat, seat_edit
from widefork.web.pages.people.planning.teams import first_plan, new_team, teams_edit
from widefork.web.pages.people.view import build
from widefork.web.shared.context import View, change_values, make_edit, open_view, refuse_sketch, render_page

BLUEPRINT = Blueprint("people", __name__, template_folder="templates")
Form = MultiDict[str, str]

EDITS: dict[str, Callable[[TeamPlan, Form], Apply]] = {
    "seat": seat_edit,
    "paste_seats": lambda plan, form: pasted_seats(plan, form.get("text", "")),
    "remove_seat": lambda plan, form: removed_seat(plan, form.get("member", "")),
    "teams": teams_edit,
    "new_team": new_team,
    "ask": ask_edit,
    "choose": choose_edit,
    "staff": staff_edit,
}
CHANGES: dict[str, Callable[[View, TeamPlan, Form], tuple[list[Change], str]]] = {
    "many": many_at_once,
    "shock": shock,
}


@BLUEPRINT.get("/m/<int:model_id>/people")
def show(model_id: int) -> str:
    """Show the team plan."""
    view = open_view(model_id, "people")
    return render_page(view, "people/page.html", people=build(view, request.args.to_dict()))


@BLUEPRINT.post("/m/<int:model_id>/people/start")
def start(model_id: int) -> Response:
    """Begin a team plan."""
    view = open_view(model_id, "people")
    refuse_sketch(view)
    return make_edit(model_id, first_plan(view.snapshot.model, request.form))


@BLUEPRINT.post("/m/<int:model_id>/people/<doing>")
def change(model_id: int, doing: str) -> Response:
    """Edit seats or teams, which belong to every case; or change values of the active one, or of the sketch."""
    view = open_view(model_id, "people")
    plan = team_plan(view, request.form.get("plan", ""))
    if plan is None:
        raise InvalidValue("There is no team plan here yet. Begin one first.")
    if doing in EDITS:
        refuse_sketch(view)
        response = make_edit(model_id, EDITS[doing](plan, request.form))
        if "seat=" not in response.location and request.form.get("seat"):  # stay with the seat that was filled
            response.location += f"&{urlencode({'seat': request.form['seat']})}"
        return response
    if doing == "hire":
        changes, sentence = _hires(view, plan, request.form.get("team", ""))
    elif doing in CHANGES:
        changes, sentence = CHANGES[doing](view, plan, request.form)
    else:
        raise InvalidValue(f"People know no “{doing}”. Reload the page and try again.")
    return change_values(view, view.address.case, changes, sentence)


def _hires(view: View, plan: TeamPlan, team: str) -> tuple[list[Change], str]:
    plan.teams.index(team)
    proposal = proposal_for(view, plan, team)
    if proposal is None or not proposal.changes:
        raise InvalidValue(f"{team}: nobody more is needed.")
    return list(proposal.changes), f"{team}: {proposal.heads:g} hired as proposed"
