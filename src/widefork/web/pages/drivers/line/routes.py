"""Lines and sections over HTTP: formulas, the panel of a line, new, copied, moved, removed, calculated or given."""

from flask import Blueprint, Response, jsonify, render_template, request

from widefork.core.axes import Grain, Month
from widefork.core.errors import InvalidValue
from widefork.core.graph.rollup import roll_up
from widefork.store.edits import (
    Apply,
    add_line,
    add_section,
    change_section,
    duplicate_line,
    make_assumption,
    make_calculated,
    move_line,
    move_section,
    remove_line,
    remove_section,
    set_formula,
)
from widefork.web.pages.drivers.line.formula import try_formula, words_of
from widefork.web.pages.drivers.line.panel import build_panel, changed_line, new_line, read_label
from widefork.web.shared.context import make_edit, open_view, refuse_sketch, store
from widefork.web.shared.naming import name_from


def add_line_routes(blueprint: Blueprint) -> None:
    """Register the routes about lines and sections."""
    for rule, view, method in (
        ("formula", open_formula, "GET"),
        ("formula", save_formula, "POST"),
        ("formula/try", try_out, "POST"),
        ("words", words, "GET"),
        ("line", open_panel, "GET"),
        ("line", save_line, "POST"),
        ("line/<doing>", do_with_line, "POST"),
        ("section/<doing>", do_with_section, "POST"),
    ):
        blueprint.add_url_rule(f"/m/<int:model_id>/drivers/{rule}", view.__name__, view, methods=[method])


def open_formula(model_id: int) -> str:
    """Show the editor of a formula; for an assumption, the one that turns it into a calculated line."""
    view = open_view(model_id, "drivers")
    line = view.snapshot.model.line(request.args.get("line", ""))
    month = _month(request.args.get("month", ""), view.address.last)
    tried = try_formula(view, line, line.formula, month) if line.formula else None
    return render_template(
        "drivers/_formula.html", line=line, month=month, tried=tried, seen=view.snapshot.revision, address=view.address
    )


def try_out(model_id: int) -> str:
    """Say what a formula would give, while it is typed."""
    view = open_view(model_id, "drivers")
    line = view.snapshot.model.line(request.form.get("line", ""))
    month = _month(request.form.get("month", ""), view.address.last)
    return render_template("drivers/_tried.html", tried=try_formula(view, line, request.form.get("formula", ""), month))


def _month(text: str, otherwise: Month) -> Month:
    try:
        return Month.parse(text)
    except InvalidValue:
        return otherwise


def words(model_id: int) -> Response:
    """Return what formulas may name, for completion."""
    return jsonify(words_of(open_view(model_id, "drivers").snapshot.model))


def save_formula(model_id: int) -> Response:
    """Give a line another formula; an assumption becomes calculated."""
    view = open_view(model_id, "drivers")
    refuse_sketch(view)
    line = view.snapshot.model.line(request.form.get("line", ""))
    text = request.form.get("formula", "")
    if not text.strip():
        raise InvalidValue("The formula is empty. Write one like units * price, or press Esc to leave it as it was.")
    sentence = f"{line.label}: formula now {' '.join(text.split())}"
    change = make_calculated if line.is_assumption else set_formula
    return make_edit(model_id, change(line.name, text, sentence))


def open_panel(model_id: int) -> str:
    """Show the panel of a line, or of a new one."""
    view = open_view(model_id, "drivers")
    name = request.args.get("line", "")
    entry = store().latest_on_line(model_id, name) if name else None
    latest = f"{entry.person}, {entry.made_at[:16].replace('T', ' ')}: {entry.sentence}" if entry else ""
    panel = build_panel(view, name, request.args.get("section", ""), request.args.get("behind", ""), latest)
    return render_template("drivers/_panel.html", panel=panel, address=view.address)


def save_line(model_id: int) -> Response:
    """Add the line a panel describes, or change the one it is about."""
    view = open_view(model_id, "drivers")
    refuse_sketch(view)
    model = view.snapshot.stored.model
    name = request.form.get("line", "")
    if not name:
        line = new_line(model, request.form, tuple(request.form.getlist("over")))
        sentence = f"{line.label}: a new line"
        return make_edit(model_id, add_line(line, sentence, request.form.get("behind", "")))
    return make_edit(model_id, changed_line(view, model.line(name), request.form))


def do_with_line(model_id: int, doing: str) -> Response:
    """Move, copy or remove a line, or turn it from calculated into given."""
    view = open_view(model_id, "drivers")
    refuse_sketch(view)
    model = view.snapshot.stored.model
    line = model.line(request.form.get("line", ""))
    change: Apply
    match doing:
        case "up" | "down":
            change = move_line(line.name, -1 if doing == "up" else 1, f"{line.label}: moved {doing}")
        case "copy":
            label = f"{line.label}, copy"
            name = name_from(f"{line.name} copy", {*view.snapshot.model.line_by_name})
            change = duplicate_line(line.name, name, label, f"{label}: copied")
        case "remove":
            change = remove_line(line.name, f"{line.label}: removed")
        case "given":
            months = model.timeline.periods(Grain.MONTH)
            keys = model.keys_of(line)
            values = {key: roll_up(view.snapshot.results, line.name, months, key)[:, 0] for key in keys}
            change = make_assumption(line.name, values, f"{line.label}: given now, with the numbers its formula gave")
        case _:
            raise InvalidValue(f"A line can be moved up or down, copied, removed or given; not “{doing}”.")
    return make_edit(model_id, change)


def do_with_section(model_id: int, doing: str) -> Response:
    """Add, rename, move or remove a section."""
    view = open_view(model_id, "drivers")
    refuse_sketch(view)
    form = request.form
    model = view.snapshot.stored.model
    name = form.get("section", "")
    label = next((section.label for section in model.sections if section.name == name), name)
    note = " ".join(form.get("note", "").split())
    change: Apply
    match doing:
        case "new":
            said = read_label(form.get("label", ""))
            fresh = name_from(said, {section.name for section in view.snapshot.model.sections})
            change = add_section(fresh, said, note, f"{said}: a new section")
        case "change":
            said = read_label(form.get("label", ""))
            change = change_section(name, f"{label}: section now {said}", label=said, note=note)
        case "up" | "down":
            change = move_section(name, -1 if doing == "up" else 1, f"{label}: section moved {doing}")
        case "remove":
            change = remove_section(name, f"{label}: section removed")
        case _:
            raise InvalidValue(f"A section can be new, changed, moved up or down, or removed; not “{doing}”.")
    return make_edit(model_id, change)
