"""Compare over HTTP: figures by case, and the figures themselves."""

import re
from dataclasses import replace

from flask import Blueprint, Response, render_template, request

from widefork.core.axes import Month
from widefork.core.errors import InvalidValue
from widefork.core.figures import Comparison, Figure, Reduction
from widefork.store.edits import add_figure, change_figure, remove_figure
from widefork.web.pages.compare.sides import read_sides
from widefork.web.pages.compare.view import build, explained_cases, explained_figure
from widefork.web.pages.compare.why import GROUPINGS, build_why
from widefork.web.shared.context import make_edit, open_view, render_page, workspace
from widefork.web.shared.formats import read_choice, read_number

BLUEPRINT = Blueprint(
    "compare", __name__, template_folder="templates", static_folder="static", static_url_path="/static/pages/compare"
)


@BLUEPRINT.get("/m/<int:model_id>/compare")
def show(model_id: int) -> str:
    """Show cases, seals and other models beside one another, and why two cases differ."""
    view = open_view(model_id, "compare")
    return render_page(view, "compare/page.html", compare=build(view, request.args))


@BLUEPRINT.get("/m/<int:model_id>/compare/why")
def why(model_id: int) -> str:
    """Answer why two cases differ in a figure: the piece of the page that takes a moment."""
    view = open_view(model_id, "compare")
    is_sketched = view.sketch is not None
    if is_sketched:  # causes are what cases do; a sketch is kept by none yet
        view = replace(view, snapshot=workspace().now(model_id))
    figure = explained_figure(view, request.args)
    sides = read_sides(view, [], "")
    origin, target = explained_cases(view, sides, request.args)
    if figure is None or origin == target:
        raise InvalidValue("It takes two cases and a figure to explain a difference.")
    by = request.args.get("grouped", "")
    order = [key for key in request.args.get("walk", "").split(",") if key]
    found = build_why(view, origin, target, figure, by if by in dict(GROUPINGS) else "cause", order)
    return render_template("compare/_why.html", why=found, address=view.address, is_sketched=is_sketched)


@BLUEPRINT.post("/m/<int:model_id>/compare/figures")
def new_figure(model_id: int) -> Response:
    """Store a new figure."""
    view = open_view(model_id, "compare")
    form = request.form
    model = view.snapshot.model
    label = form.get("label", "").strip()
    if not label:
        raise InvalidValue("A figure needs a name, such as “Kit revenue in 2027”.")
    line = model.line(form.get("line", "").strip())
    reduction = read_choice(Reduction, form.get("find", ""), "what to find")
    figure = Figure(
        _free_name(label, {figure.name for figure in model.figures}),
        label,
        line.name,
        (),
        Month.parse(form["first"]) if form.get("first") else None,
        Month.parse(form["last"]) if form.get("last") else None,
        reduction,
        read_choice(Comparison, form.get("when", "at least"), "the comparison"),
        read_number(form.get("threshold") or "0") if reduction.asks_condition else 0.0,
    )
    return make_edit(model_id, add_figure(figure, f"Figure added: {label}"))


@BLUEPRINT.post("/m/<int:model_id>/compare/figures/<name>")
def edit_figure(model_id: int, name: str) -> Response:
    """Pin, unpin or remove a figure."""
    figure = open_view(model_id, "compare").snapshot.model.figure(name)
    match request.form.get("do"):
        case "remove":
            return make_edit(model_id, remove_figure(name, f"Figure removed: {figure.label}"))
        case "pin":
            return make_edit(model_id, change_figure(name, f"{figure.label} pinned", is_pinned=True))
        case "unpin":
            return make_edit(model_id, change_figure(name, f"{figure.label} no longer pinned", is_pinned=False))
    raise InvalidValue("A figure can be pinned, unpinned or removed.")


def _free_name(label: str, taken: set[str]) -> str:
    stem = re.sub(r"\W+", "_", label.lower()).strip("_") or "figure"
    name, count = stem, 2
    while name in taken:
        name, count = f"{stem}_{count}", count + 1
    return name
