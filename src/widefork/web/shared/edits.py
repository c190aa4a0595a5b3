"""Edits every page offers: undo, redo, and who is making them."""

from flask import Blueprint, Response, request

from widefork.core.errors import InvalidValue
from widefork.web.shared.context import LONGEST_NAME, PERSON_COOKIE, back_to, person, store, workspace

BLUEPRINT = Blueprint("edits", __name__)
ONE_YEAR = 365 * 24 * 3600


@BLUEPRINT.post("/m/<int:model_id>/undo")
def undo(model_id: int) -> Response:
    """Take back the person's latest edit."""
    before = workspace().now(model_id).revision
    store().undo(model_id, person())
    return back_to(before)


@BLUEPRINT.post("/m/<int:model_id>/redo")
def redo(model_id: int) -> Response:
    """Put back what was last taken back."""
    before = workspace().now(model_id).revision
    store().redo(model_id, person())
    return back_to(before)


@BLUEPRINT.post("/person")
def pick_name() -> Response:
    """Remember the name a person picked."""
    name = request.form.get("name", "").strip()
    if not name or len(name) > LONGEST_NAME:
        raise InvalidValue(f"A name has 1 to {LONGEST_NAME} letters; it signs your edits in the log.")
    response = back_to(None)
    response.set_cookie(PERSON_COOKIE, name, max_age=ONE_YEAR, samesite="Lax", httponly=True)
    return response
