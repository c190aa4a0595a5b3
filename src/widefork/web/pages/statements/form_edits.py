"""Arranging the statements: their layout, names, order, and rows of one's own; limits; each as one edit."""

from collections.abc import Callable, Mapping
from dataclasses import asdict, replace

from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, UnknownName
from widefork.core.finance.statements import CAPTION_BY_NAME, LAYOUTS, ROWS_WITHIN, Statement
from widefork.core.graph.model import Limit, Model, OwnRow, Rhythm, StatementSettings
from widefork.store import edits
from widefork.store.edits import Apply
from widefork.web.pages.statements.view import blocks, row_order
from widefork.web.shared import formats
from widefork.web.shared.naming import name_from
from widefork.web.shared.rule_words import read_amount

Form = Mapping[str, str]
LONGEST_LABEL = 60


def form_edit(doing: str, model: Model, form: Form) -> Apply:
    """Return the edit a form of the statements asks for; ``model`` has all its lines.

    Raises
    ------
    InvalidValue, InvalidModel, UnknownName: what was expected, what came.
    """
    if doing not in FORM_EDITS:
        raise InvalidValue(f"Statements know no “{doing}”. Reload the page and try again.")
    return FORM_EDITS[doing](model, form)


def _laid_out(settings: StatementSettings, sentence: str) -> Apply:
    return edits.change_model(sentence, statements=asdict(settings))


def _label(form: Form, what: str) -> str:
    label = " ".join(form.get("label", "").split())
    if not label or len(label) > LONGEST_LABEL:
        raise InvalidValue(f"{what} needs a name of 1 to {LONGEST_LABEL} letters.")
    return label


def _layout(model: Model, form: Form) -> Apply:
    layout = LAYOUTS[form.get("layout", "")]
    return _laid_out(replace(model.statements, layout=layout.name), f"Statements laid out: {layout.label.lower()}")


def _rename(model: Model, form: Form) -> Apply:
    name, settings = form.get("row", ""), model.statements
    usual = CAPTION_BY_NAME[name].label if name in CAPTION_BY_NAME else ""
    label = " ".join(form.get("label", "").split()) or usual
    if len(label) > LONGEST_LABEL or not label:
        raise InvalidValue(f"A row needs a name of 1 to {LONGEST_LABEL} letters.")
    if any(row.name == name for row in settings.rows):
        rows = tuple(replace(row, label=label) if row.name == name else row for row in settings.rows)
        return _laid_out(replace(settings, rows=rows), f"Row now called {label}")
    if name not in CAPTION_BY_NAME:
        raise UnknownName("row", name, CAPTION_BY_NAME)
    labels = {key: known for key, known in settings.labels.items() if key != name}
    if label != usual:
        labels[name] = label
    return _laid_out(replace(settings, labels=labels), f"{usual} now called {label}")


def _add_row(model: Model, form: Form) -> Apply:
    within = form.get("within", "")
    if within not in ROWS_WITHIN:
        raise UnknownName("caption for a row", within, ROWS_WITHIN)
    label = _label(form, "A row")
    name = name_from(label, {*model.line_by_name, *CAPTION_BY_NAME, *model.flag_names})
    rows = (*model.statements.rows, OwnRow(name, label, within))
    return _laid_out(replace(model.statements, rows=rows), f"{label}: new row in {CAPTION_BY_NAME[within].label}")


def _remove_row(model: Model, form: Form) -> Apply:
    name = form.get("row", "")
    found = next((row for row in model.statements.rows if row.name == name), None)
    if found is None:
        raise UnknownName("row of your own", name, [row.name for row in model.statements.rows])
    posted = [line.label for line in model.lines if line.posts_to == name]
    if posted:
        raise InvalidValue(f"{', '.join(posted[:4])} post to {found.label}. Let them post elsewhere first.")
    rows = tuple(row for row in model.statements.rows if row.name != name)
    order = tuple(other for other in model.statements.order if other != name)
    return _laid_out(replace(model.statements, rows=rows, order=order), f"{found.label}: row removed")


def _move_row(model: Model, form: Form) -> Apply:
    name, step = form.get("row", ""), -1 if form.get("way") == "up" else 1
    settings = model.statements
    for statement in (Statement.INCOME, Statement.CASH_FLOW, Statement.RECEIPTS, Statement.BALANCE):
        names = list(row_order(settings, statement))
        block = next((block for block in blocks(settings, names) if name in block), None)
        if block is None:
            continue
        beside = [other for other in names if other in block]
        place = beside.index(name) + step
        if not 0 <= place < len(beside):
            raise InvalidValue("It stands at the end of its part already.")
        beside[place - step], beside[place] = beside[place], beside[place - step]
        order = (*(other for other in settings.order if other not in block), *beside)
        return _laid_out(replace(settings, order=order), f"{model.line(name).label}: moved {form.get('way')}")
    raise InvalidValue("This row has its place by the standard; parts between two subtotals can change places.")


def _set_limit(model: Model, form: Form) -> Apply:
    line = model.line(form.get("line", ""))
    bounds = [
        read_amount(text, line.unit) if (text := form.get(key, "").strip()) else None for key in ("least", "most")
    ]
    label = _label(form, "A limit")
    first = form.get("first", "").strip()
    name = form.get("limit", "")
    known = {limit.name for limit in model.limits}
    limit = Limit(
        name if name in known else name_from(label, known),
        label,
        line.name,
        bounds[0],
        bounds[1],
        formats.read_choice(Rhythm, form.get("tested", Rhythm.MONTH.value), "the dates"),
        Month.parse(first) if first else None,
        form.get("covenant") == "yes",
        form.get("note", "").strip()[:600],
    )
    what = "covenant" if limit.is_covenant else "limit"
    if name in known:
        was = next(limit for limit in model.limits if limit.name == name)
        return edits.change_limit(limit, f"{was.label}: {_limit_told(was, limit, line.unit)}")
    return edits.add_limit(limit, f"{label}: new {what}")


def _limit_told(was: Limit, now: Limit, unit: str) -> str:
    """What of a limit became what."""

    def bound(value: float | None) -> str:
        return "none" if value is None else formats.cell(value, unit)

    told = [f"now called {now.label}"] if was.label != now.label else []
    told += [f"of {now.line}, before of {was.line}"] if was.line != now.line else []
    for word, before, after in (("at least", was.least, now.least), ("at most", was.most, now.most)):
        told += [f"{word} {bound(before)} to {bound(after)}"] if before != after else []
    told += [f"tested {was.tested.value} to {now.tested.value}"] if was.tested != now.tested else []
    if was.first != now.first:
        first = [month.label if month else "the start" for month in (was.first, now.first)]
        told.append(f"from {first[0]} to {first[1]}")
    told += [f"{'a covenant' if now.is_covenant else 'no covenant'} now"] if was.is_covenant != now.is_covenant else []
    return ", ".join(told) or "its reason"


def _remove_limit(model: Model, form: Form) -> Apply:
    name = form.get("limit", "")
    label = next((limit.label for limit in model.limits if limit.name == name), name)
    return edits.remove_limit(name, f"{label}: limit removed")


FORM_EDITS: dict[str, Callable[[Model, Form], Apply]] = {
    "layout": _layout,
    "rename": _rename,
    "add_row": _add_row,
    "remove_row": _remove_row,
    "move_row": _move_row,
    "set_limit": _set_limit,
    "remove_limit": _remove_limit,
}
