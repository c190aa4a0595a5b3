"""The front over HTTP."""

from collections.abc import Callable
from io import BytesIO

from flask import Blueprint, Response, redirect, render_template, request, send_file, url_for
from werkzeug.wrappers import Response as WerkzeugResponse

from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, UnknownName, WideforkError
from widefork.files import FORMATS
from widefork.files.workbook import MEDIA_TYPE, workbook_name
from widefork.store.edits import change_model
from widefork.store.model_store import ModelStore
from widefork.web.front.new_model import read_name, read_new_model, usual_values
from widefork.web.front.workbook import PATIENCE, read_turn, workbook_of
from widefork.web.shared.context import jobs, person, sentence_of, store, workspace
from widefork.web.shared.jobs import left_words
from widefork.web.shared.uploads import read_upload

BLUEPRINT = Blueprint("front", __name__, template_folder="templates")


@BLUEPRINT.get("/")
def door() -> WerkzeugResponse:
    """Lead to the first model, or to the list where there is none."""
    models = store().shelf.models()
    return redirect(url_for("lookout.show", model_id=models[0].id) if models else url_for("front.models"))


@BLUEPRINT.get("/models")
def models() -> str:
    """List the models, and those in the bin."""
    return render_template(
        "front/models.html", models=store().shelf.models(), binned=store().shelf.binned(), month=Month.parse
    )


@BLUEPRINT.get("/models/new")
def new() -> str:
    """Ask for what a new model needs."""
    return render_template("front/new.html", given=usual_values(), fault="")


@BLUEPRINT.post("/models/new")
def create() -> "WerkzeugResponse | tuple[str, int]":
    """Begin a model; what cannot be read is said above the form, which keeps what was typed."""
    try:
        model_id = store().create(read_new_model(request.form))
    except WideforkError as fault:
        return render_template("front/new.html", given=request.form, fault=sentence_of(fault)), 422
    return redirect(url_for("frame.show", model_id=model_id), code=303)


@BLUEPRINT.post("/models/import")
def bring_in() -> "WerkzeugResponse | tuple[str, int]":
    """Add a model from a file in an open format."""
    try:
        text, reader = read_upload(request.files.get("file"))
        model_id = store().create(reader.read(text))
    except WideforkError as fault:
        listed = {"models": store().shelf.models(), "binned": store().shelf.binned(), "month": Month.parse}
        return render_template("front/models.html", fault=str(fault), **listed), 422
    return redirect(url_for("lookout.show", model_id=model_id), code=303)


@BLUEPRINT.get("/m/<int:model_id>/file/<format_name>")
def take_out(model_id: int, format_name: str) -> Response:
    """Hand the model out as a file in an open format."""
    if format_name not in FORMATS.names:
        raise UnknownName("format", format_name, FORMATS.names)
    found = FORMATS[format_name]
    model = workspace().now(model_id).stored.model
    name = "".join(c if c.isalnum() else "-" for c in model.name.lower()).strip("-") or "model"
    data = BytesIO(found.write(model).encode("utf-8"))
    return send_file(data, found.media_type, as_attachment=True, download_name=f"{name}{found.suffix}")


@BLUEPRINT.get("/m/<int:model_id>/workbook")
def workbook(model_id: int) -> "Response | tuple[str, int] | str":
    """Hand a case out as a workbook; while it is written, show how far it is."""
    snapshot = workspace().now(model_id)
    model, turn = snapshot.model, read_turn(request.args.get("turn", ""))
    case = model.case(request.args.get("case") or model.cases[0].name)
    job = workbook_of(jobs(), snapshot, case.name, 0.0 if turn else PATIENCE)
    shown = {"model": model, "model_id": model_id, "case": case, "fault": "", "progress": None, "turn": 0}
    if job.fault is not None:
        return render_template("front/workbook.html", **{**shown, "fault": sentence_of(job.fault)}), 422
    if job.is_running:
        progress = (job.done, job.count, left_words(job.seconds_left))
        return render_template("front/workbook.html", **{**shown, "progress": progress, "turn": turn + 1})
    if turn:  # asked by the page that waits: it saves the file itself
        return render_template("front/workbook.html", **shown)
    return send_file(BytesIO(job.found), MEDIA_TYPE, as_attachment=True, download_name=workbook_name(model.name))


@BLUEPRINT.post("/models/<int:model_id>/<doing>")
def do_with_model(model_id: int, doing: str) -> WerkzeugResponse:
    """Copy, rename, bin, restore or forget a model."""
    doings: dict[str, Callable[[ModelStore, int], object]] = {
        "copy": _copy,
        "rename": _rename,
        "bin": lambda models, found: models.shelf.bin(found),
        "restore": lambda models, found: models.shelf.restore(found),
        "forget": _forget,
    }
    if doing not in doings:
        raise InvalidValue(f"A model can be copied, renamed, binned, restored or forgotten; not “{doing}”.")
    doings[doing](store(), model_id)
    return redirect(url_for("front.models"), code=303)


def _copy(models: ModelStore, model_id: int) -> None:
    copied = models.create(models.load(model_id).model)
    name = f"{models.load(model_id).model.name}, copy"
    models.edit(copied, person(), 0, change_model(f"copied from model {model_id}", name=name))


def _rename(models: ModelStore, model_id: int) -> None:
    name = read_name(request.form.get("name", ""))
    seen = models.revision(model_id)
    models.edit(model_id, person(), seen, change_model(f"The model is now called {name}", name=name))


def _forget(models: ModelStore, model_id: int) -> None:
    if model_id not in [info.id for info in models.shelf.binned()]:
        raise InvalidValue("Only a model in the bin can be deleted for good. Move it there first.")
    models.delete(model_id)
