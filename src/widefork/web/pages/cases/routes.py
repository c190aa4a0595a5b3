"""Cases over HTTP: the page, and one address for each thing its forms do."""

from flask import Blueprint, Response, render_template, request

from widefork.core.analysis.merge import merge_case
from widefork.core.changes import Case, Change, Layer, free_name, step_at
from widefork.core.errors import InvalidValue
from widefork.store import edits
from widefork.store.edits import CellsBack
from widefork.web.pages.cases.alternatives import build_view
from widefork.web.pages.cases.alternatives import read_grid as read_cell
from widefork.web.pages.cases.block import read_grid, read_values
from widefork.web.pages.cases.differs import key_of
from widefork.web.pages.cases.form_edits import (
    Form,
    layer_at,
    named_move,
    place_of,
    read_change,
    read_label,
    read_note,
    read_switch,
    read_weight,
)
from widefork.web.pages.cases.merging import mergeable, read_model
from widefork.web.pages.cases.move_routes import add_routes
from widefork.web.pages.cases.moves import build_moves
from widefork.web.pages.cases.reading import Reading
from widefork.web.pages.cases.side import build_side
from widefork.web.pages.cases.view import build, tabs_of
from widefork.web.pages.cases.words import step_words, switch_words
from widefork.web.shared.context import (
    View,
    back_to,
    change_values,
    make_edit,
    open_view,
    refuse_sketch,
    render_page,
    try_in_sketch,
    with_query,
)
from widefork.web.shared.naming import name_from
from widefork.web.shared.uploads import read_upload
from widefork.web.shared.wording import change_words

BLUEPRINT = Blueprint(
    "cases", __name__, template_folder="templates", static_folder="static", static_url_path="/static/pages/cases"
)
TRIED = "Alternatives: "
ASKS = ("figure", "of", "section", "who", "only", "open", "about", "under", "named")
MOST_WORDS = 80


@BLUEPRINT.get("/m/<int:model_id>/cases")
def show(model_id: int) -> str:
    """Show the tree, what differs, and the steps of the active case."""
    view = open_view(model_id, "cases")
    asks = request.args
    if asks.get("view") == "side":
        reading = Reading(view, "")
        side = build_side(
            reading,
            asks.get("section", ""),
            asks.get("find", ""),
            asks.getlist("shown"),
            asks.get("per", ""),
            asks.get("grouped", ""),
        )
        return render_page(view, "cases/side.html", side=side, tabs=tabs_of(view, "side"))
    if asks.get("view") == "moves":
        found_moves = build_moves(Reading(view, asks.get("figure", "")), asks.get("move", ""))
        return render_page(view, "cases/moves.html", moves=found_moves, tabs=tabs_of(view, "moves"))
    if asks.get("view") == "alternatives":
        found = build_view(view, asks)
        return render_page(view, "cases/alternatives.html", grid=found, tabs=tabs_of(view, "alternatives"))
    tabs = tabs_of(view, "")
    return render_page(
        view, "cases/page.html", tabs=tabs, cases=build(view, {key: request.args.get(key, "") for key in ASKS})
    )


@BLUEPRINT.post("/m/<int:model_id>/cases/fork")
def fork(model_id: int) -> Response:
    """Fork a case from the one the form names."""
    view, case = _open(model_id)
    label = read_label(request.form.get("label", ""))
    model = view.snapshot.model
    name = name_from(label, {*model.family.by_name, *model.move_by_name})
    made = Case(name, label, case.name, note=read_note(request.form.get("note", "")))
    return _at_case(make_edit(model_id, edits.add_case(made, f"{label}: forked from {case.label}")), name)


@BLUEPRINT.post("/m/<int:model_id>/cases/case")
def change(model_id: int) -> Response:
    """Change a case's name, note, weight or pin."""
    _, case = _open(model_id)
    values = {
        "label": read_label(request.form.get("label", "")),
        "note": read_note(request.form.get("note", "")),
        "weight": read_weight(request.form.get("weight", "")),
        "is_pinned": request.form.get("pinned") == "yes",
    }
    is_renamed = values["label"] != case.label
    sentence = f"{case.label} renamed {values['label']}" if is_renamed else f"{case.label}: note, weight or pin"
    return make_edit(model_id, edits.change_case(case.name, sentence, **values))


@BLUEPRINT.post("/m/<int:model_id>/cases/place")
def place(model_id: int) -> Response:
    """Move a case up or down, lay it aside, bring it back, or remove it."""
    view, case = _open(model_id)
    root = view.snapshot.model.cases[0].name
    match request.form.get("do", ""):
        case "up":
            return make_edit(model_id, edits.move_case(case.name, -1, f"{case.label} moved up"))
        case "down":
            return make_edit(model_id, edits.move_case(case.name, 1, f"{case.label} moved down"))
        case "archive":
            below = len(set(view.snapshot.model.family.forks_of(case.name)) & set(view.snapshot.case_names))
            also = f" with the {below} below it" if below else ""
            return _at_case(make_edit(model_id, edits.archive_case(case.name, f"{case.label} laid aside{also}")), root)
        case "back":
            back = edits.bring_case_back(case.name, f"{case.label} brought back")
            return _at_case(make_edit(model_id, back), case.name)
        case "remove":
            return _at_case(make_edit(model_id, edits.remove_case(case.name, f"{case.label} removed")), root)
    raise InvalidValue("A case can go up or down, be laid aside, brought back or removed.")


@BLUEPRINT.post("/m/<int:model_id>/cases/under")
def put_under(model_id: int) -> Response:
    """Put a case under another one."""
    view, case = _open(model_id)
    parent = view.snapshot.model.case(request.form.get("parent", ""))
    keeps = request.form.get("keeps") == "yes"
    how = ", its numbers kept" if keeps else ""
    return _asking_no_more(
        make_edit(model_id, edits.put_under(case.name, parent.name, keeps, f"{case.label} under {parent.label}{how}"))
    )


@BLUEPRINT.post("/m/<int:model_id>/cases/adopt")
def adopt(model_id: int) -> Response:
    """Let the root take all a case does."""
    view, case = _open(model_id)
    root = view.snapshot.model.cases[0].label
    return _asking_no_more(make_edit(model_id, edits.adopt(case.name, f"{root} adopts {case.label}")))


@BLUEPRINT.post("/m/<int:model_id>/cases/step")
def step(model_id: int) -> Response:
    """Write a change of a case: a new one, or over one of its own; or take one out."""
    view = open_view(model_id, "cases")
    model, form = view.snapshot.model, _form()
    case, at = model.case(form.text("case")), form.text("at")
    line = model.line(form.text("line"))
    if not at:
        made = read_change(form, model, line, None)
        sentence = f"{case.label}: {line.label} {change_words(made, model)}"
        return change_values(view, case.name, [made], sentence)
    refuse_sketch(view)
    number = place_of(case, layer_at(model, case.name, at))
    was = step_at(case, number)
    if form.text("do") == "remove":
        sentence = f"{case.label}: {line.label} no longer changed"
        return make_edit(model_id, edits.replace_step(case.name, number, was, None, sentence))
    now = read_change(form, model, line, was if isinstance(was, Change) else None)
    sentence = f"{case.label}: {line.label} {change_words(now, model)}"
    return make_edit(model_id, edits.replace_step(case.name, number, was, now, sentence))


@BLUEPRINT.post("/m/<int:model_id>/cases/switch")
def switch(model_id: int) -> Response:
    """Switch a move on or off in a case, or give it another start or strength there."""
    view, case = _open(model_id)
    model, form = view.snapshot.model, _form()
    move = named_move(model, form.text("move"))
    if form.text("do") == "off":
        return make_edit(model_id, edits.switch_off(case.name, move.name, f"{move.label}: off in {case.label}"))
    if form.text("do") == "on" and "start" not in request.form:
        if move.name in case.drops:
            return make_edit(model_id, edits.put_back(case.name, move.name, f"{move.label}: back in {case.label}"))
        return make_edit(model_id, edits.switch_on(case.name, move.name, f"{move.label}: on in {case.label}"))
    wanted = read_switch(form, model, case, move)
    sentence = f"{move.label}: on in {case.label} {switch_words(wanted, move)}"
    return make_edit(model_id, edits.set_switch(case.name, wanted, sentence))


@BLUEPRINT.post("/m/<int:model_id>/cases/try")
def try_cell(model_id: int) -> Response:
    """Try a combination of alternatives in the person's sketch, in place of the one tried there before."""
    view = open_view(model_id, "cases")
    grid, places = read_cell(view, request.form)
    case = grid.stands_on(*places)
    chosen = [each.choices[place].label for each, place in zip(grid.sets, places, strict=True)]
    try_in_sketch(view, case, grid.steps(*places), TRIED, ", ".join(chosen))
    return with_query(back_to(None), case=case, cell=request.form.get("cell", ""))


@BLUEPRINT.post("/m/<int:model_id>/cases/block")
def block(model_id: int) -> Response:
    """Give values of several cases at once: what was typed into a cell, or a block that was pasted."""
    view = open_view(model_id, "cases")
    refuse_sketch(view)
    form, holds = request.form, request.form.get("hold") == "yes"
    grid = read_grid(form.get("shown", ""))
    text, mark, skips = form.get("text", ""), form.get("mark", ""), bool(form.get("skip"))
    read = read_values(Reading(view, ""), grid, text, mark, skips, holds)
    cases = list(dict.fromkeys(given.case for given in read.givens))
    lines = list(dict.fromkeys(given.line for given in read.givens))
    labels = ", ".join(view.snapshot.model.case(name).label for name in cases)
    count = f"{len(read.givens)} value{'' if len(read.givens) == 1 else 's'}"
    more = f" and {len(lines) - 1} more" if len(lines) > 1 else ""
    sentence = f"{view.snapshot.model.line(lines[0]).label}{more}: {count} in {labels}"
    return make_edit(model_id, edits.set_side_by_side(read.givens, holds, sentence))


@BLUEPRINT.post("/m/<int:model_id>/cases/inherit")
def inherit(model_id: int) -> Response:
    """Let a cell be what its case inherits again."""
    view = open_view(model_id, "cases")
    refuse_sketch(view)
    grid = read_grid(request.form.get("shown", ""))
    (name, members), column = grid.rows[grid.row], grid.columns[grid.column]
    line, case = view.snapshot.model.line(name), view.snapshot.model.case(column.case)
    if case.parent is None:
        raise InvalidValue(f"{case.label} is the root: there is no case above it to go back to.")
    timeline = view.snapshot.model.timeline
    first = column.first if column.first > timeline.first_plan else None
    last = column.last if column.last < timeline.end else None
    back = [CellsBack(line.name, members, first, last)]
    sentence = f"{', '.join((line.label, *members))}: {column.label} as {case.label} inherits it"
    return make_edit(model_id, edits.back_to_parent(case.name, back, sentence))


@BLUEPRINT.post("/m/<int:model_id>/cases/merge")
def merge(model_id: int) -> Response | str:
    """Show what of a file's cases fits; asked again with the name of one, fork it here."""
    view = open_view(model_id, "cases")
    refuse_sketch(view)
    name = request.form.get("name", "")
    text = request.form.get("document", "") if name else read_upload(request.files.get("file"))[0]
    other = read_model(text)
    if not name:
        found = mergeable(view.snapshot, other)
        if not found:
            raise InvalidValue(f"{other.name} has no case but its root, so there is nothing to merge.")
        return render_template("cases/_merge.html", view=view, other=other, found=found, document=text)
    merged = merge_case(view.snapshot.plan, other, name)
    case = merged.family.case(merged.case)
    left = f", {len(merged.misfits)} of its steps left out" if merged.misfits else ""
    sentence = f"{case.label}: merged from {other.name}{left}"
    return _at_case(make_edit(model_id, edits.add_merged(merged, sentence)), case.name)


@BLUEPRINT.post("/m/<int:model_id>/cases/drop")
def drop(model_id: int) -> Response:
    """Drop an inherited step in a case."""
    view, case = _open(model_id)
    layer = layer_at(view.snapshot.model, case.name, request.form.get("at", ""))
    sentence = f"{case.label}: dropped {step_words(layer, view.snapshot.model)[:MOST_WORDS]}"
    return make_edit(model_id, edits.take_out(case.name, (layer,), sentence))


@BLUEPRINT.post("/m/<int:model_id>/cases/clear")
def clear(model_id: int) -> Response:
    """Take what a case does to a line, or with a move, out of it: its own steps go, inherited ones are dropped here."""
    view, case = _open(model_id)
    model, key = view.snapshot.model, request.form.get("key", "")
    layers = [layer for layer in model.family.layers_of(case.name) if key_of(layer) == key]
    if not layers:
        raise InvalidValue("There is nothing to take out here.")
    said = step_words(layers[-1], model)[:MOST_WORDS]
    return make_edit(model_id, edits.take_out(case.name, layers, f"{case.label}: without {said}"))


@BLUEPRINT.post("/m/<int:model_id>/cases/back")
def put_back(model_id: int) -> Response:
    """Inherit a dropped step again."""
    view, case = _open(model_id)
    wanted = request.form.get("drop", "")
    found = [layer for layer in view.snapshot.model.family.dropped_by(case.name) if layer.name == wanted]
    said = step_words(found[0], view.snapshot.model)[:MOST_WORDS] if found else wanted
    return make_edit(model_id, edits.put_back(case.name, wanted, f"{case.label}: put back {said}"))


@BLUEPRINT.post("/m/<int:model_id>/cases/steps")
def steps(model_id: int) -> Response:
    """Do something with some of a case's own steps: order, copy to other cases, take out, make a move of them."""
    view, case = _open(model_id)
    form, model = _form(), view.snapshot.model
    do, _, which = form.text("do").partition(" ")
    if do in ("earlier", "later"):
        number = _place(which)
        by = -1 if do == "earlier" else 1
        said = f"{case.label}: step {number + 1} {do}"
        return make_edit(model_id, edits.move_step(case.name, number, by, said))
    key, stack = form.text("key"), [Layer(case.name, step, ()) for step in case.steps]
    at_key = [number for number, layer in enumerate(stack) if key_of(layer) == key]
    chosen = at_key if key else sorted({_place(text) for text in form.texts("step")})
    if not chosen:
        nothing = f"{case.label} itself does nothing there to copy."
        raise InvalidValue(nothing if key else "Tick the steps first, at the left of each.")
    count = f"{len(chosen)} step{'' if len(chosen) == 1 else 's'}"
    own = [step_at(case, number) for number in chosen]
    if do == "copy":
        to = [model.case(name) for name in form.texts("to")]
        if not to:
            raise InvalidValue("Tick the cases to copy to.")
        said = f"{count} of {case.label} copied to {', '.join(one.label for one in to)}"
        return make_edit(model_id, edits.copy_steps(own, [one.name for one in to], said))
    if do == "bundle":
        label = read_label(form.text("label"))
        taken = {*model.move_by_name, *model.family.by_name, *(change.name for change in model.all_changes)}
        name = free_name(name_from(label), taken)
        said = f"{label}: a move of {count} of {case.label}"
        return make_edit(model_id, edits.bundle_steps(case.name, chosen, (name, label), said))
    raise InvalidValue("Steps can be copied to other cases, or made a move.")


def _open(model_id: int) -> tuple[View, Case]:
    """A view without a sketch on it, and the case the form is about, which may be one laid aside."""
    view = open_view(model_id, "cases")
    refuse_sketch(view)
    return view, view.snapshot.model.family.case(request.form.get("case", ""))


def _form() -> Form:
    return Form({key: request.form.getlist(key) for key in request.form})


def _place(text: str) -> int:
    if not text.isdecimal():
        raise InvalidValue(f"“{text}” is no step. Reload the page and try again.")
    return int(text)


def _at_case(response: Response, case: str) -> Response:
    """The page an edit returns to, at another case."""
    return with_query(response, case=case, open="", under="", of="")


def _asking_no_more(response: Response) -> Response:
    """The page an edit returns to, without what was tried on it."""
    return with_query(response, under="")


add_routes(BLUEPRINT)
