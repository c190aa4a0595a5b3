"""Moves over HTTP: what the forms of one opened move do."""

from collections.abc import Sequence

from flask import Blueprint, Response, request

from widefork.core.axes import Month
from widefork.core.changes import Aim, Benefit, Change, Move, Operation, Status, benefits_of, free_name, spread
from widefork.core.engine import evaluate
from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model
from widefork.core.lines import Line
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.pages.cases.form_edits import Form, named_move, read_change, read_label, read_month, read_note
from widefork.web.shared import formats
from widefork.web.shared.context import View, make_edit, open_view, refuse_sketch, with_query
from widefork.web.shared.naming import name_from
from widefork.web.shared.rule_words import read_amount
from widefork.web.shared.wording import change_words

LONGEST_NAME, LONGEST_GROUP = 40, 30
MOST_RAMP = 60
MOST_DIGITS = 4
GONE = "That is no longer there; somebody may have changed the move. Reload the page."


def add_routes(blueprint: Blueprint) -> None:
    """Add the addresses of moves to the page's."""
    for path, doing in (
        ("new", new), ("about", about), ("place", place), ("aims", aims), ("brings", brings), ("change", change),
    ):  # fmt: skip
        blueprint.add_url_rule(f"/m/<int:model_id>/cases/moves/{path}", f"move_{path}", doing, methods=["POST"])


def new(model_id: int) -> Response:
    """Make a move without changes, and open it."""
    view = _open(model_id)
    model, label = view.snapshot.model, read_label(request.form.get("label", ""))
    taken = {*model.move_by_name, *model.family.by_name, *(c.name for c in model.all_changes)}
    name = free_name(name_from(label, taken), taken)
    start = read_month(request.form.get("start", ""), "the month it starts") or model.timeline.first_plan
    move = Move(name, label, start, (), read_note(request.form.get("note", "")))
    return with_query(make_edit(model_id, edits.add_move(move, f"{label}: a new move")), move=name)


def about(model_id: int) -> Response:
    """Change what a move says of itself."""
    view = _open(model_id)
    move, form = _move(view), request.form
    label = read_label(form.get("label", ""))
    values = {
        "label": label,
        "note": read_note(form.get("note", "")),
        "owner": _short(form.get("owner", ""), LONGEST_NAME, "An owner's name"),
        "status": formats.read_choice(Status, form.get("status", ""), "how far it has come").value,
        "one_of": _short(form.get("group", ""), LONGEST_GROUP, "The name of a group"),
        "start": str(read_month(form.get("start", ""), "the month it starts") or move.start),
    }
    was = (move.label, move.note, move.owner, move.status.value, move.group, str(move.start))
    names = ("name", "note", "owner", "status", "one of", "start")
    changed = [name for name, old, now in zip(names, was, values.values(), strict=True) if old != now]
    sentence = f"{label}: {', '.join(changed) or 'as it was'}"
    return make_edit(model_id, edits.change_move(move.name, sentence, **values))


def place(model_id: int) -> Response:
    """Move a move up or down in the list, or remove it."""
    move = _move(_open(model_id))
    match request.form.get("do", ""):
        case "up":
            return make_edit(model_id, edits.move_move(move.name, -1, f"{move.label} moved up"))
        case "down":
            return make_edit(model_id, edits.move_move(move.name, 1, f"{move.label} moved down"))
        case "remove":
            removed = make_edit(model_id, edits.remove_move(move.name, f"{move.label} removed"))
            return with_query(removed, move="")
    raise InvalidValue("A move can go up or down in the list, or be removed.")


def aims(model_id: int) -> Response:
    """Say what a move is to bring to a figure, or no longer."""
    view = _open(model_id)
    move, form = _move(view), request.form
    figure = view.snapshot.model.figure(form.get("figure", ""))
    kept = tuple(aim for aim in move.aims if aim.figure != figure.name)
    if form.get("do") == "remove":
        sentence = f"{move.label}: no aim for {figure.label}"
        return make_edit(model_id, edits.set_aims(move.name, kept, sentence))
    unit = view.snapshot.model.line(figure.line).unit
    text = form.get("amount", "").strip().removesuffix("%").strip()
    amount = formats.read_amount(text)
    if unit.startswith("%") and not figure.reduction.asks_condition:
        amount /= 100
    if not amount:
        raise InvalidValue("An aim is an amount above or below 0; without one, take the aim out.")
    sentence = f"{move.label}: aims at {text} for {figure.label}"
    places = [aim.figure for aim in move.aims]
    found = list(kept)
    found.insert(places.index(figure.name) if figure.name in places else len(found), Aim(figure.name, amount))
    return make_edit(model_id, edits.set_aims(move.name, found, sentence))


def brings(model_id: int) -> Response:
    """Write what a move brings to a line, anew or in place of something it brings, or take that out."""
    view = _open(model_id)
    model, move, form = view.snapshot.model, _move(view), request.form
    line = model.line(form.get("line", "").strip())
    kept = list(move.changes)
    at = form.get("at", "")
    if at:
        was = benefits_of(move.changes)
        if not at.isdecimal() or len(at) > MOST_DIGITS or int(at) >= len(was) or was[int(at)].line != line.name:
            raise InvalidValue(GONE)
        kept = [change for change in kept if not was[int(at)].has(change)]
    if form.get("do") == "remove":
        sentence = f"{move.label}: brings nothing to {line.label}"
        return make_edit(model_id, edits.set_changes(move.name, kept, sentence))
    benefit = _read_benefit(view, move, line)
    what = f"{formats.exact_difference(benefit.amount, line.unit)} {'once' if benefit.is_once else 'a month'}"
    sentence = f"{move.label}: {what} to {line.label} from {benefit.first.label}"
    return _checked(model_id, view, move, [*kept, *benefit.changes()], sentence)


def change(model_id: int) -> Response:
    """Write one of a move's changes anew, add one, tie a date to the move, or take a change out."""
    view = _open(model_id)
    model, move = view.snapshot.model, _move(view)
    form = Form({key: request.form.getlist(key) for key in request.form})
    line, at, changes = model.line(form.text("line").strip()), form.text("at"), list(move.changes)
    was: Change | None = None
    if at:
        is_there = at.isdecimal() and len(at) <= MOST_DIGITS and int(at) < len(changes)
        if not is_there or changes[int(at)].line != line.name:
            raise InvalidValue(GONE)
        was = changes[int(at)]
    if form.text("do") == "remove" and was is not None:
        changes.pop(int(at))
        sentence = f"{move.label}: no longer changes {line.label}"
        return make_edit(model_id, edits.set_changes(move.name, changes, sentence))
    if form.text("do") == "tie":
        tied = Change(line.name, Operation.WITH_MOVE, members=was.members if was else ())
        return _checked(model_id, view, move, [*changes, tied], f"{move.label}: {line.label} comes with it")
    now = read_change(form, model, line, was)
    if was is None:
        changes.append(now)
    else:
        changes[int(at)] = now
    return _checked(model_id, view, move, changes, f"{move.label}: {line.label} {change_words(now, model)}")


def _checked(model_id: int, view: View, move: Move, changes: Sequence[Change], sentence: str) -> Response:
    """An edit of a move's changes, tried first: a move that cannot be switched on is refused where it is made."""
    for each in changes:
        view.snapshot.plan.check_changeable(each.line)
    tried = [each for each in changes if each.operation is not Operation.WITH_MOVE]
    evaluate(view.snapshot.plan, [(*view.snapshot.model.changes_of(view.address.case), *tried)])
    applied: Apply = edits.set_changes(move.name, changes, sentence)
    return make_edit(model_id, applied)


def _read_benefit(view: View, move: Move, line: Line) -> Benefit:
    """What a form says a move brings: an amount a month, a year or once, from a month, ramped, by members."""
    form, model = request.form, view.snapshot.model
    amount = read_amount(form.get("amount", "").strip(), line.unit)
    if not amount:
        raise InvalidValue("Give an amount above or below 0, such as 12000; to take it out, press “take out”.")
    per = form.get("per", "")
    if per not in ("month", "year", "once"):
        raise InvalidValue("An amount comes a month, a year or once.")
    first = read_month(form.get("first", ""), "the first month") or move.start
    last = first if per == "once" else read_month(form.get("last", ""), "the last month")
    if last is not None and last < first:
        raise InvalidValue(f"{last.label} lies before {first.label}. Swap them, or leave the last month empty.")
    _within_plan(model, first, last)
    dimension, shares = "", {}
    if line.dimensions:
        dimension = line.dimensions[0]
        if len(line.dimensions) > 1:
            raise InvalidValue(
                f"{line.label} is spread over {' and '.join(line.dimensions)}; add to one member of it by a change."
            )
        shares = spread(_present(view, line), _held(form.getlist("member"), form.getlist("share")))
    monthly = amount / 12 if per == "year" else amount
    return Benefit(line.name, monthly, first, last, _ramp(form.get("ramp", ""), per), dimension, shares)


def _within_plan(model: Model, first: Month, last: Month | None) -> None:
    timeline = model.timeline
    if first > timeline.end or (last is not None and last < timeline.start):
        raise InvalidValue(f"The plan runs from {timeline.first_plan.label} to {timeline.end.label}.")


def _present(view: View, line: Line) -> dict[str, float]:
    """What each member of a line is over the plan's months in the active case."""
    first, results = view.snapshot.model.timeline.actual_count, view.snapshot.results
    [dimension] = view.snapshot.model.dimensions_of(line)
    return {member: float(results.series(line.name, (member,), view.place)[first:].sum()) for member in dimension}


def _held(members: Sequence[str], shares: Sequence[str]) -> dict[str, float]:
    """Shares that were typed, by member; those left empty are shared out."""
    typed = zip(members, shares, strict=False)
    return {m: formats.read_number(text.strip().removesuffix("%")) / 100 for m, text in typed if text.strip()}


def _ramp(text: str, per: str) -> int:
    given = text.strip()
    if not given or per == "once":
        return 0
    if not given.isdecimal() or int(given) > MOST_RAMP:
        raise InvalidValue(f"A ramp lasts 0 to {MOST_RAMP} months; got “{given}”.")
    return int(given)


def _short(text: str, most: int, what: str) -> str:
    said = " ".join(text.split())
    if len(said) > most:
        raise InvalidValue(f"{what} has up to {most} letters; this one has {len(said)}.")
    return said


def _move(view: View) -> Move:
    return named_move(view.snapshot.model, request.form.get("move", ""))


def _open(model_id: int) -> View:
    view = open_view(model_id, "cases")
    refuse_sketch(view)
    return view
