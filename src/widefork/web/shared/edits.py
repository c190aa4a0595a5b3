"""Edits every page offers: undo, redo, and who is making them."""

from flask import Blueprint, Response, request

from widefork.core.errors import InvalidValue, UnknownName
from widefork.store.edits import switch_off, switch_on
from widefork.store.sketches import SketchRefused
from widefork.web.shared.context import (
    LONGEST_NAME,
    PERSON_COOKIE,
    back_to,
    make_edit,
    person,
    store,
    workspace,
)
from widefork.web.shared.naming import name_from

BLUEPRINT = Blueprint("edits", __name__)
WRITES = {"undo": (), "redo": (), "sketch/start": (), "sketch/drop": (), "sketch/keep": ("way", "label", "on"),
          "move": ("switch",)}  # fmt: skip
"""What can be sent from every page, as a page says it of its own."""
MESSAGES = ("keep", "case")
LONGEST_SENTENCE = 160
ONE_YEAR = 365 * 24 * 3600


@BLUEPRINT.post("/m/<int:model_id>/undo")
def undo(model_id: int) -> Response:
    """Take back the person's latest edit."""
    if workspace().sketches.of(model_id, person()) is not None:
        workspace().sketches.undo(model_id, person())
        return back_to(None)
    before = workspace().now(model_id).revision
    store().undo(model_id, person())
    return back_to(before)


@BLUEPRINT.post("/m/<int:model_id>/redo")
def redo(model_id: int) -> Response:
    """Put back what was last taken back."""
    if workspace().sketches.of(model_id, person()) is not None:
        workspace().sketches.redo(model_id, person())
        return back_to(None)
    before = workspace().now(model_id).revision
    store().redo(model_id, person())
    return back_to(before)


@BLUEPRINT.post("/m/<int:model_id>/sketch/start")
def start_sketch(model_id: int) -> Response:
    """Switch the person's sketch on, over the active case."""
    workspace().sketches.start(model_id, person(), request.form.get("case", ""))
    return back_to(None)


@BLUEPRINT.post("/m/<int:model_id>/sketch/drop")
def drop_sketch(model_id: int) -> Response:
    """Switch the person's sketch off and forget it."""
    workspace().sketches.drop(model_id, person())
    return back_to(None)


@BLUEPRINT.post("/m/<int:model_id>/sketch/keep")
def keep_sketch(model_id: int) -> Response:
    """Keep the person's sketch: in its case, as a fork of it, or as a move switched on in it."""
    state = workspace().sketches.of(model_id, person())
    if state is None or state.is_empty:
        workspace().sketches.drop(model_id, person())
        return back_to(None)
    model = workspace().now(model_id).stored.model
    case = model.case(state.case)
    label = " ".join(request.form.get("label", "").split())
    way = request.form.get("way", "case")
    if way == "case":
        kept = workspace().sketches.keep_in_case(
            person(), f"{case.label}: kept a sketch, {'; '.join(state.sentences)[:LONGEST_SENTENCE]}"
        )
        return make_edit(model_id, kept)
    if not label or len(label) > LONGEST_NAME:
        raise InvalidValue(f"Give it a name of 1 to {LONGEST_NAME} letters.")
    if way == "fork":
        name = name_from(label, {*model.case_by_name})
        return make_edit(
            model_id, workspace().sketches.keep_as_fork(person(), name, label, f"{label}: forked from {case.label}")
        )
    name = name_from(label, {*model.move_by_name, *model.case_by_name})
    is_on = request.form.get("on") == "yes"
    said = f"{label}: a move, on in {case.label}" if is_on else f"{label}: a move, not on in any case yet"
    return make_edit(model_id, workspace().sketches.keep_as_move(person(), name, label, said, is_on))


@BLUEPRINT.post("/m/<int:model_id>/move")
def switch_move(model_id: int) -> Response:
    """Switch a move on or off in the active case."""
    if workspace().sketches.of(model_id, person()) is not None:
        raise SketchRefused("Moves are switched in the case itself, not in a sketch. Keep or drop the sketch first.")
    model = workspace().now(model_id).stored.model
    case = model.case(request.form.get("case", ""))
    way, _, name = request.form.get("switch", "").partition(" ")
    if name not in model.move_by_name:
        raise UnknownName("move", name, model.move_by_name)
    label = model.move_by_name[name].label
    if way == "on":
        return make_edit(model_id, switch_on(case.name, name, f"{label}: on in {case.label}"))
    return make_edit(model_id, switch_off(case.name, name, f"{label}: off in {case.label}"))


@BLUEPRINT.post("/person")
def pick_name() -> Response:
    """Remember the name a person picked."""
    name = request.form.get("name", "").strip()
    if not name or len(name) > LONGEST_NAME:
        raise InvalidValue(f"A name has 1 to {LONGEST_NAME} letters; it signs your edits in the log.")
    response = back_to(None)
    response.set_cookie(PERSON_COOKIE, name, max_age=ONE_YEAR, samesite="Lax", httponly=True)
    return response
