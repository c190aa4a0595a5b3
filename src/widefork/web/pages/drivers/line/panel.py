"""The panel of one line: its name, place, unit, reasons, roll-up and looks; and the edits its form comes to."""

from collections.abc import Callable, Mapping
from dataclasses import asdict, dataclass, replace
from enum import StrEnum
from typing import Any, TypeVar

from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.finance.statements import CAPTION_BY_NAME, OFFERED
from widefork.core.finance.when_paid import payments
from widefork.core.graph.model import Model
from widefork.core.lines import LINE_NAME, Line, OverMembers, OverTime, Rollup
from widefork.core.look import Emphasis, Look, Scale, Tint
from widefork.core.rules import RULES, read_rule
from widefork.store.edits import Apply, change_line, rename_line, together
from widefork.store.saving import look_document, range_document
from widefork.web.shared import formats
from widefork.web.shared.context import View
from widefork.web.shared.naming import name_from
from widefork.web.shared.ranges import range_words, read_range

LONGEST_LABEL, LONGEST_NOTE = 80, 600
Choice = TypeVar("Choice", bound=StrEnum)


@dataclass(frozen=True, kw_only=True)
class Panel:
    """What the panel shows. ``line`` is None for a new one."""

    line: Line | None
    section: str
    behind: str
    sections: tuple[tuple[str, str], ...]
    captions: tuple[tuple[str, str], ...]
    dimensions: tuple[tuple[str, str], ...]
    plausible: str
    dependents: tuple[str, ...]
    latest: str
    seen: int
    paid: str
    paid_url: str


def build_panel(view: View, name: str, section: str, behind: str, latest: str) -> Panel:
    """Return the panel of a line, or of a new one in a section; raises UnknownName."""
    model = view.snapshot.stored.model
    line = model.line(name) if name else None
    labels = {name: view.snapshot.model.line(name).label for name in OFFERED}
    labels |= {row.name: row.label for row in model.statements.rows}
    if line is not None and line.posts_to and line.posts_to not in labels:
        labels[line.posts_to] = view.snapshot.model.line(line.posts_to).label
    needs = view.snapshot.plan.needs
    paid = next((payment for payment in payments(model) if payment.line == name), None)
    return Panel(
        line=line,
        section=line.section if line is not None else section,
        behind=behind,
        sections=tuple((s.name, s.label) for s in model.sections),
        captions=tuple(labels.items()),
        dimensions=tuple((d.name, d.label or d.name) for d in model.dimensions),
        plausible=range_words(line.plausible, line.unit) if line is not None else "",
        dependents=tuple(
            view.snapshot.model.line(other).label
            for other, need in needs.items()
            if line is not None and other in view.snapshot.model.line_by_name and other != name and _reads(need, name)
        ),
        latest=latest,
        seen=view.snapshot.revision,
        paid=paid.words if paid is not None else "",
        paid_url=view.address.url("terms", open="paid"),
    )


def _reads(need: Any, name: str) -> bool:
    return name in {*need.same_month, *need.earlier, *need.later}


def new_line(model: Model, form: Mapping[str, str], over: tuple[str, ...]) -> Line:
    """Return the line a form describes: an assumption of 0, or calculated where a formula is given.

    Raises
    ------
    InvalidValue: no label, or a name that is taken.
    """
    label = read_label(form.get("label", ""))
    taken = {*CAPTION_BY_NAME, *(line.name for line in model.lines)}
    name = form.get("name", "").strip()
    if not name:
        _refuse_caption(label)
        name = name_from(label, taken)
    if name in taken:
        raise InvalidValue(f"There is already a line {name}. Choose another name for formulas.")
    unit = " ".join(form.get("unit", "").split())
    formula = form.get("formula", "").strip() or None
    for dimension in over:
        if dimension not in model.dimension_by_name:
            raise InvalidValue(f"There is no dimension {dimension}. Add it in Frame first.")
    amount = form.get("amount", "").strip()
    start = formats.read_typed(amount, unit).amount if amount else 0.0
    return Line(
        name,
        label,
        unit,
        form.get("section", ""),
        over,
        formula,
        {} if formula else {(): read_rule(RULES, start)},
        Rollup.default(unit),
        note=" ".join(form.get("note", "").split())[:LONGEST_NOTE],
        posts_to=form.get("posts_to", ""),
    )


def _refuse_caption(label: str) -> None:
    """A line called like a row of the statements would be one thing on the page and another in formulas."""
    alike = (row for row in CAPTION_BY_NAME.values() if row.label.casefold() == label.casefold())
    row = CAPTION_BY_NAME.get(name_from(label)) or next(alike, None)
    if row is not None:
        raise InvalidValue(
            f"“{row.label}” is a row of the statements, and formulas that say {row.name} mean that row: all that posts"
            " to it. Call this line otherwise, or give it a name of its own for formulas."
        )


def read_label(text: str) -> str:
    """Return a display name; raise InvalidValue for an empty or very long one."""
    label = " ".join(text.split())
    if not label or len(label) > LONGEST_LABEL:
        raise InvalidValue(f"A line needs a name of 1 to {LONGEST_LABEL} letters; got {len(label)}.")
    return label


def changed_line(view: View, line: Line, form: Mapping[str, str]) -> Apply:
    """Return the edit a panel's form comes to.

    Raises
    ------
    InvalidValue: a field that cannot be read; says what was expected. Nothing is changed then.
    """
    label = read_label(form.get("label", ""))
    unit = " ".join(form.get("unit", "").split())
    usual = float(view.snapshot.results.values(line.name)[..., view.place].mean())
    plausible = read_range(form.get("range", ""), unit, usual)
    try:
        look = Look(
            _decimals(form.get("decimals", "")),
            _choice(Scale, form.get("scale", "")),
            _choice(Emphasis, form.get("emphasis", "")),
            _choice(Tint, form.get("tint", "")),
            form.get("space_above") == "yes",
        )
    except InvalidModel as fault:
        raise InvalidValue(str(fault)) from fault
    name = form.get("name", "").strip() or line.name
    if not LINE_NAME.fullmatch(name) or name != name.lower():
        raise InvalidValue(f"A name for formulas is lower-case words joined by underscores; got “{name}”.")
    values = {
        "label": label,
        "unit": unit,
        "note": " ".join(form.get("note", "").split())[:LONGEST_NOTE],
        "look": look_document(look),
        "plausible": range_document(plausible),
        "rollup": _rollup(form, line, unit),
        "posts_to": form.get("posts_to", ""),
        "allow_loop": form.get("allow_loop") == "yes" and line.formula is not None,
    }
    section = form.get("section", line.section)
    steps = [change_line(line.name, "", section if section != line.section else "", **values)]
    if name != line.name:
        steps.append(rename_line(line.name, name, ""))
    return together(steps, _said(line, replace(line, label=label, unit=unit, look=look), name, section, values))


def _said(line: Line, after: Line, name: str, section: str, values: dict[str, Any]) -> str:
    """What a form changed, for the log."""
    told: list[str] = []
    checks: list[tuple[Callable[[], bool], str]] = [
        (lambda: line.label != after.label, f"now called {after.label}"),
        (lambda: name != line.name, f"{name} in formulas"),
        (lambda: line.unit != after.unit, f"unit {after.unit or 'none'}"),
        (lambda: line.note != values["note"], "its reason"),
        (lambda: range_document(line.plausible) != values["plausible"], "its range"),
        (lambda: line.look != after.look, "its looks"),
        (lambda: line.posts_to != values["posts_to"], f"posts to {values['posts_to'] or 'nothing'}"),
        (lambda: section != line.section, f"moved to {section}"),
        (lambda: _rollup_document(line.rollup) != values["rollup"], "its roll-up"),
    ]
    told += [words for is_so, words in checks if is_so()]
    return f"{line.label}: {', '.join(told) or 'as it was'}"


def _rollup(form: Mapping[str, str], line: Line, unit: str) -> dict[str, str]:
    time = _choice(OverTime, form.get("over_time", ""))
    members = _choice(OverMembers, form.get("over_members", ""))
    if time is None or members is None:
        follows = unit != line.unit and line.rollup == Rollup.default(line.unit)
        return _rollup_document(Rollup.default(unit) if follows else line.rollup)
    is_ratio, is_weighted = OverTime.RATIO in (time, members), OverTime.WEIGHTED in (time, members)
    above, below = (form.get(key, "").strip() for key in ("numerator", "denominator"))
    if is_ratio and is_weighted:
        raise InvalidValue("Choose one: the ratio of two lines, or the line itself weighted by another one.")
    if is_ratio and not (above and below):
        raise InvalidValue("A ratio is rolled up by two lines: name the one above and the one below the line.")
    if is_weighted and not below:
        raise InvalidValue("Say which line weighs it: for a price what is sold at it, for a share what it is of.")
    return _rollup_document(Rollup(time, members, above if is_ratio else "", below if is_ratio or is_weighted else ""))


def _rollup_document(rollup: Rollup) -> dict[str, str]:
    known = asdict(rollup)
    return {
        "time": rollup.over_time.value,
        "members": rollup.over_members.value,
        "numerator": known["numerator"],
        "denominator": known["denominator"],
    }


def _decimals(text: str) -> int | None:
    if not text.strip():
        return None
    if not text.strip().isdecimal():
        raise InvalidValue(f"Expected how many decimals, like 0 or 2; got “{text}”.")
    return int(text)


def _choice(kind: type[Choice], text: str) -> Choice | None:
    return formats.read_choice(kind, text, f"the {kind.__name__.lower()}") if text else None
