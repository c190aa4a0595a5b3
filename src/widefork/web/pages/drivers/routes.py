"""Drivers over HTTP: the sheet and its sections, and what is done on it. Lines themselves: see ``line.routes``."""

import numpy as np
from flask import Blueprint, Response, render_template, request

from widefork.core.axes import Month
from widefork.core.changes import ByRule, Change, Operation
from widefork.core.errors import InvalidValue
from widefork.core.lines import MemberKey
from widefork.core.rules import held_first
from widefork.core.rules.flat import Flat
from widefork.store.edits import Apply, back_to_parent, change_cells, set_actuals, set_rule, together
from widefork.web.pages.drivers.line.routes import add_line_routes
from widefork.web.pages.drivers.shape.last_year import last_year_edit, read_last_year
from widefork.web.pages.drivers.shape.rule_form import read_form
from widefork.web.pages.drivers.shape.view import build_shape, rule_here, values_now
from widefork.web.pages.drivers.sheet.cells import Asked
from widefork.web.pages.drivers.sheet.gestures import Planned, at_of, label_of, plan_gesture, read_gesture
from widefork.web.pages.drivers.sheet.hint import build_hint
from widefork.web.pages.drivers.sheet.view import UNJUSTIFIED, build, build_section
from widefork.web.shared import formats
from widefork.web.shared.context import (
    View,
    change_values,
    make_edit,
    open_view,
    refuse_other_case,
    render_page,
    store,
)
from widefork.web.shared.rounds import send_piece
from widefork.web.shared.rule_words import read_phrase

LONGEST_RULE = 100
"""Letters of a rule that a sentence of the log says."""

BLUEPRINT = Blueprint(
    "drivers", __name__, template_folder="templates", static_folder="static", static_url_path="/static/pages/drivers"
)
add_line_routes(BLUEPRINT)


def read_asked() -> Asked:
    """Return what the address and the page ask of the sheet."""
    shown = request.headers.get("X-Shown-Sections")
    return Asked(
        opened=frozenset(name for name in request.args.get("open", "").split(",") if name),
        shaped=request.args.get("shape", ""),
        kind=request.args.get("kind", ""),
        only=UNJUSTIFIED if request.args.get("only") == UNJUSTIFIED else "",
        is_unlocked=bool(request.args.get("unlocked")),
        shown=frozenset(shown.split(",")) if shown else None,
        focus=request.args.get("focus", ""),
    )


@BLUEPRINT.get("/m/<int:model_id>/drivers")
def show(model_id: int) -> str:
    """Show the sheet."""
    view = open_view(model_id, "drivers")
    asked = read_asked()
    sheet = build(view, asked)
    shape = build_shape(view, asked, latest_words(model_id, asked.shaped.partition("@")[0]), sheet.column_width)
    return render_page(view, "drivers/page.html", sheet=sheet, shape=shape)


@BLUEPRINT.get("/m/<int:model_id>/drivers/section")
def show_section(model_id: int) -> str:
    """Show one section, when it is scrolled to."""
    view = open_view(model_id, "drivers")
    sheet = build_section(view, read_asked(), request.args.get("section", ""))
    is_root = view.place == 0
    root_label = view.snapshot.model.cases[0].label
    labels = {"is_root": is_root, "root_label": root_label}
    return send_piece(render_template("drivers/_section_alone.html", sheet=sheet, shape=None, **labels))


def latest_words(model_id: int, line: str) -> str:
    """Return who last touched a line, and when; empty for nobody."""
    entry = store().latest_on_line(model_id, line) if line else None
    return f"{entry.person}, {entry.made_at[:16].replace('T', ' ')}: {entry.sentence}" if entry else ""


@BLUEPRINT.get("/m/<int:model_id>/drivers/cell")
def open_cell(model_id: int) -> str:
    """Show what stands under a cell while it is edited."""
    view = open_view(model_id, "drivers")
    members = _members(request.args.get("at", ""))
    month = Month.parse(request.args.get("month", ""))
    hint = build_hint(view, request.args.get("line", ""), members, month, bool(request.args.get("unlocked")))
    return render_template("drivers/_hint.html", hint=hint)


@BLUEPRINT.post("/m/<int:model_id>/drivers/cells")
def change(model_id: int) -> Response:
    """Make one gesture on the sheet, whatever number of cells it is about.

    What it comes to is found in the model's turn, on the latest values: being second is no fault, unless it is about
    the same cells.
    """
    form = request.form
    gesture = read_gesture(form.get("gesture", ""))
    with store().turn(model_id):
        view = open_view(model_id, "drivers")
        case = view.snapshot.model.case(form.get("case", "")).name
        refuse_other_case(view, case)
        planned = plan_gesture(view, case, gesture, bool(form.get("unlocked")))
        if view.sketch is not None:
            return change_values(view, case, planned.changes, planned.sentence)
        return make_edit(model_id, together(_edits(case, planned), planned.sentence))


def _edits(case: str, planned: Planned) -> list[Apply]:
    edits = [change_cells(case, planned.changes, planned.sentence)] if planned.changes else []
    edits += [set_actuals(line, members, months, "") for (line, members), months in planned.actuals.items()]
    return edits + ([back_to_parent(case, planned.backs, "")] if planned.backs else [])


@BLUEPRINT.post("/m/<int:model_id>/drivers/rule")
def change_rule(model_id: int) -> Response:
    """Give a row another rule, said in words or in a form. In a case of its own it becomes a step of that case."""
    with store().turn(model_id):
        return _change_rule(open_view(model_id, "drivers"))


def _change_rule(view: View) -> Response:
    form = request.form
    model = view.snapshot.model
    line, case = model.line(form.get("line", "")), model.case(form.get("case", ""))
    members = _members(form.get("at", ""))
    if not line.is_assumption:
        raise InvalidValue(f"{line.label} is calculated; it has a formula and no rule.")
    if members and members not in model.keys_of(line):
        raise InvalidValue(f"{line.label} has no {', '.join(members)}.")
    rate = read_last_year(form.get("phrase", "")) if not form.get("kind") else None
    if rate is not None:
        if case.parent is not None or view.sketch is not None:
            raise InvalidValue("Growth on last year is said in the root case; here, change its rate.")
        sentence = f"{line.label}: last year {'+' if rate >= 0 else '−'} {formats.written_out(abs(rate) * 100)} %"
        return make_edit(view.address.model_id, last_year_edit(model, line, rate, sentence))
    if form.get("kind"):
        rule = read_form(form["kind"], form, line.unit)
    else:
        rule = read_phrase(form.get("phrase", ""), line.unit)
    stands = rule_here(view, line, members)
    if rule != stands:  # where months are history, and in a case, it speaks of the plan
        in_plan = line.actuals or case.parent is not None
        rule = held_first(rule, model.timeline.first_plan if in_plan else model.timeline.start)
    before, words = (one.words(lambda value: formats.exact(value, line.unit)) for one in (stands, rule))
    sentence = f"{label_of(line, members)}: {_cut(before)} to {_cut(words)} in {case.label}"
    if case.parent is None and view.sketch is None:
        return make_edit(view.address.model_id, set_rule(line.name, members, rule, sentence))
    refuse_other_case(view, case.name)
    first, wanted = model.timeline.first_plan, rule.values(model.timeline)[model.timeline.actual_count :]
    keys = [members] if members or not line.dimensions else list(model.keys_of(line))
    place = view.snapshot.place(case.name)
    now = [values_now(view, line, key, place)[model.timeline.actual_count :] for key in keys]
    if all(np.allclose(months, wanted, rtol=1e-12, atol=0.0) for months in now):
        raise InvalidValue("That changes nothing: the months say so already.")
    course = None if isinstance(rule, Flat) else ByRule(rule, first)
    amount = float(wanted[0]) if course is None else 0.0
    change = Change(line.name, Operation.SET, amount, at_of(line, members), first, course=course)
    return change_values(view, case.name, [change], sentence)


def _cut(words: str) -> str:
    return words if len(words) <= LONGEST_RULE else f"{words[:LONGEST_RULE].rstrip()} …"


def _members(text: str) -> MemberKey:
    return tuple(part for part in text.split("/") if part)
