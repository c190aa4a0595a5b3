"""Seals over HTTP: the page, sealing, and bringing a seal back as a model of its own."""

from dataclasses import replace

from flask import Blueprint, Response, make_response, redirect, request

from widefork.web.pages.seals.view import build
from widefork.web.shared.context import back_to, open_view, person, refuse_sketch, render_page, store, workspace

BLUEPRINT = Blueprint("seals", __name__, template_folder="templates")


@BLUEPRINT.get("/m/<int:model_id>/seals")
def show(model_id: int) -> str:
    """Show the seals, one of them beside the model."""
    view = open_view(model_id, "seals")
    return render_page(view, "seals/page.html", seals=build(view, request.args.get("open", "")))


@BLUEPRINT.post("/m/<int:model_id>/seals")
def seal(model_id: int) -> Response:
    """Lock a copy of the model as it stands."""
    view = open_view(model_id, "seals")
    refuse_sketch(view)
    workspace().seal(view.snapshot.stored, person(), request.form.get("name", ""), request.form.get("note", ""))
    return back_to(None)


@BLUEPRINT.post("/m/<int:model_id>/seals/<int:seal_id>/restore")
def restore(model_id: int, seal_id: int) -> Response:
    """Bring a seal back as a model of its own; the seal and the model stay as they are."""
    sealed = workspace().sealed(model_id, seal_id).stored.model
    name = next(seal.name for seal in workspace().seals.of(model_id) if seal.id == seal_id)
    found = store().create(replace(sealed, name=f"{sealed.name}: {name}"[:60]))
    return make_response(redirect(f"/m/{found}/lookout", code=303))
