"""What the books say of a month closed, laid over the plan's lines; what they leave unexplained is a line of its own.

A balance that differs from its opening and movements leaves an “unexplained movement”: the cash of the month closed
carries it, so that the statements tie, and it is shown under a caption of its own, never spread over others. What no
caption explains of cash itself stands in equity (decision 0033).
"""

from collections.abc import Iterable, Mapping
from dataclasses import replace

from widefork.core.errors import InvalidModel, UnknownName
from widefork.core.finance.schedules.book import summed
from widefork.core.finance.schedules.schedule import unexplained_under, within_closed
from widefork.core.finance.statements.captions import BALANCE_SHEET, CAPTION_BY_NAME, INCOME
from widefork.core.graph.model import Model
from widefork.core.lines import BALANCE, Line, LineSource

BOOKS = "books"
"""The reserved name of the section and source of these lines."""

CLOSED_INCOME = (*(c.name for c in INCOME if c.paid_as), "interest_income", "interest_expense")
"""Captions of the income statement whose total can be given: what their lines do not make is settled in cash."""
CLOSED_BALANCES = tuple(
    c.name
    for c in BALANCE_SHEET
    if not c.formula and c.name not in ("overdraft", "loans_short", "loans_long", "leases_short", "leases_long")
)
"""Captions of the balance sheet that can hold what no schedule keeps."""


def books_lines(model: Model, lines: Iterable[Line]) -> list[Line]:
    """Return the lines written for what closings say of whole captions.

    Parameters
    ----------
    lines : the user's and the schedules' lines.
    """
    known = list(lines)
    template = Line("x", "", model.currency, section=BOOKS, formula="0")
    found: list[Line] = []

    def write(name: str, label: str, formula: str, posts_to: str = "", is_balance: bool = False) -> None:
        line = replace(template, name=name, label=label, formula=formula, posts_to=posts_to)
        rollup = BALANCE if is_balance else line.rollup
        found.append(replace(line, source=LineSource(BOOKS, name), rollup=rollup))

    for name in CLOSED_INCOME:
        if name not in model.closed:
            continue
        caption = CAPTION_BY_NAME[name]
        posted = [line for line in known if line.posts_to == name or _row_of(line, model) == name]
        made = summed(posted)
        write(f"books_{name}", f"{caption.label}, from the books", made)
        unexplained = within_closed(model, f"books_{name} - ({made})")
        write(f"unexplained_{name}", f"{caption.label}: unexplained", unexplained, name)
        if caption.paid_as:
            settled = f"{caption.label}: unexplained, settled"
            write(f"unexplained_{name}_settled", settled, f"unexplained_{name}", caption.paid_as)
    for name in CLOSED_BALANCES:
        if name in model.closed:
            label = CAPTION_BY_NAME[name].label
            write(f"books_{name}", f"{label}, kept by no schedule", f"before(books_{name})", name, is_balance=True)
            caption_of_it, sign = unexplained_under(name)
            moved = within_closed(model, f"{sign}(books_{name} - before(books_{name}))")
            write(f"unexplained_{name}", f"{label}: unexplained movement", moved, caption_of_it)
    if "cash" in model.closed:
        moved = "cash_after_overdraft - (before(cash_after_overdraft) + flow_before_overdraft)"
        write("unexplained_in_cash", "Cash: unexplained movement", within_closed(model, moved), "unexplained_cash")
    return found


def with_books(lines: Iterable[Line], model: Model) -> list[Line]:
    """Return lines with what closings say of them as their actuals."""
    closed = dict(model.closed)
    for name in (*CLOSED_INCOME, *CLOSED_BALANCES):
        if name in closed and name != "cash":
            closed[f"books_{name}"] = closed.pop(name)
    if "cash" in closed:
        closed["cash_after_overdraft"] = _less_overdraft(closed.pop("cash"), model)
    return [_with_actuals(line, closed) for line in lines]


def _with_actuals(line: Line, closed: Mapping[str, tuple[float, ...]]) -> Line:
    if line.name not in closed or line.dimensions:
        return line
    known = line.actuals.get((), ())
    given = closed[line.name]
    both = tuple(b if b == b else known[n] if n < len(known) else b for n, b in enumerate(given))
    return replace(line, actuals={(): both})


def _less_overdraft(cash: tuple[float, ...], model: Model) -> tuple[float, ...]:
    """Cash after overdraft; an overdraft nothing is said of is not drawn."""
    drawn = [model.closed[name] for name in overdrafts(model) if name in model.closed]
    return tuple(amount - sum(months[n] for months in drawn if months[n] == months[n]) for n, amount in enumerate(cash))


def unexplained_lines(model: Model) -> tuple[Line, ...]:
    """Return the lines of what closings leave unexplained, of an assembled model; amounts are those of one month."""
    return tuple(
        line
        for line in model.lines
        if line.name.endswith("_unexplained")
        or (line.section == BOOKS and line.name.startswith("unexplained_") and not line.name.endswith("_settled"))
    )


def refuse_unknown(model: Model, names: Iterable[str]) -> None:
    """Raise UnknownName where a closing speaks of something the model never had.

    A figure of a line that a schedule no longer writes waits there until it does again.
    """
    known = {*names, "cash", *CLOSED_INCOME, *CLOSED_BALANCES}
    prefixes = tuple(f"{given.name}_" for given in model.schedules)
    for closing in model.closings:
        for name in (*closing.figures, *closing.notes):
            if name not in known and not name.startswith((*prefixes, "settled_")):
                raise InvalidModel(UnknownName("line", name, known).sentence, f"closings/{closing.month}")


def overdrafts(model: Model) -> tuple[str, ...]:
    """Return the lines of what is drawn of overdrafts."""
    return tuple(f"{given.name}_drawn" for given in model.schedules if given.kind == "overdraft")


def _row_of(line: Line, model: Model) -> str:
    return next((row.within for row in model.statements.rows if row.name == line.posts_to), "")
