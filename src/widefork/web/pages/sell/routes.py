"""Add what you sell over HTTP: the page, its preview, and what is written or taken away."""

from flask import Blueprint, Response, render_template, request

from widefork.core.errors import WideforkError
from widefork.store import edits
from widefork.web.pages.sell.preview import draft_of, preview_of
from widefork.web.pages.sell.view import build, note_of
from widefork.web.shared.context import make_edit, open_view, refuse_sketch, render_page, sentence_of

BLUEPRINT = Blueprint("sell", __name__, template_folder="templates")


@BLUEPRINT.get("/m/<int:model_id>/sell")
def show(model_id: int) -> str:
    """Show the patterns, one of them with its questions."""
    view = open_view(model_id, "sell")
    asked = request.args
    first = {"name": asked.get("row", ""), "kind": asked.get("kind", ""), "under": asked.get("under", "")}
    return render_page(view, "sell/page.html", sell=build(view, asked.get("pattern", ""), first))


@BLUEPRINT.post("/m/<int:model_id>/sell/preview")
def preview(model_id: int) -> str:
    """Show what the answers given so far would write; while something is missing, say what."""
    view = open_view(model_id, "sell")
    try:
        draft = draft_of(request.form, view.snapshot.model, is_named=False)
        shown = preview_of(draft, view.snapshot.stored.model)
    except WideforkError as fault:
        return render_template("sell/_preview.html", preview=None, waits=sentence_of(fault))
    return render_template("sell/_preview.html", preview=shown, waits="")


@BLUEPRINT.post("/m/<int:model_id>/sell/write")
def write(model_id: int) -> Response:
    """Write a pattern's lines into a section of their own; from then on they are the user's."""
    view = open_view(model_id, "sell")
    refuse_sketch(view)
    draft = draft_of(request.form, view.snapshot.model)
    note = note_of(draft.pattern)
    sentence = f"{draft.label}: {len(draft.lines)} lines written, {draft.pattern.label.lower()}"
    edit = edits.write_lines(
        draft.prefix, draft.label, note, draft.lines, draft.profiles, draft.schedules, draft.limits, sentence,
        draft.dimensions,
    )  # fmt: skip
    response = make_edit(model_id, edit)
    since = view.snapshot.revision
    response.location = view.address.url("drivers", since=since) + f"#section-{draft.prefix}"
    return response


@BLUEPRINT.post("/m/<int:model_id>/sell/remove")
def remove(model_id: int) -> Response:
    """Take a section a pattern wrote away again, with all its lines."""
    view = open_view(model_id, "sell")
    refuse_sketch(view)
    section = request.form.get("section", "")
    label = next((s.label for s in view.snapshot.model.sections if s.name == section), section)
    return make_edit(model_id, edits.remove_written(section, f"{label}: taken away with its lines"))
