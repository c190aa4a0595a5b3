"""What no schedule settles is paid in the month it is charged; each such line has a settlement of its own.

So every receipt and payment is a line that can be put off, reduced or dropped: the charge stays, and what was not paid
is owed (decision 0030).
"""

from dataclasses import dataclass, replace

from widefork.core.finance.schedules import Book, Role
from widefork.core.finance.statements.captions import CAPTION_BY_NAME
from widefork.core.graph.model import Model
from widefork.core.lines import BALANCE, Line, LineSource, Rollup

SETTLED = "settled"
"""The reserved name of the section and source of these lines."""

RECEIPTS_PUT_OFF, PAYMENTS_PUT_OFF = "receipts_put_off", "payments_put_off"
_RECEIPTS = ("customer_receipts", "other_receipts")


@dataclass(frozen=True)
class Unsettled:
    """A line nothing settles.

    Parameters
    ----------
    name, label : the line, or the purchases of a stock. invoiced : formula with sales tax.
    paid_as : caption of receipts and payments.
    """

    name: str
    label: str
    invoiced: str
    paid_as: str

    @property
    def settlement(self) -> str:
        """Name of the line that settles it."""
        return f"{SETTLED}_{self.name}"


def unsettled(model: Model, book: Book) -> tuple[Unsettled, ...]:
    """Return the user's lines that are invoiced or paid and that no schedule settles, in reading order."""
    found: dict[str, Unsettled] = {}
    settled_stocks = book.settlers_of_stocks()
    for line in model.lines:
        settles_as = paid_as(line, book, model)
        stock = book.roles[Role.STOCKED].get(line.name)
        # A stock's purchases are what is owed for, not its use; they are settled once, under the stock's name, however
        # many lines use it.
        if not settles_as or book.has(Role.SETTLED, line.name) or (stock is not None and stock.name in settled_stocks):
            continue
        if stock is None:
            found[line.name] = Unsettled(line.name, line.label, book.invoiced([line]), settles_as)
        else:
            name = f"{stock.name}_purchases"
            found[name] = Unsettled(name, f"{stock.label}: purchases", book.invoiced([line]), settles_as)
    return tuple(found.values())


def paid_as(line: Line, book: Book, model: Model) -> str:
    """Return the caption of receipts and payments a line is settled under; empty where it is none."""
    if book.has(Role.SPREAD_REVENUE, line.name):
        return "customer_receipts"
    if book.has(Role.SPREAD_COST, line.name):
        return "supplier_payments"
    # A row of the user's own stands within a caption, which decides what kind of payment it is.
    within = {row.name: row.within for row in model.statements.rows}
    caption = CAPTION_BY_NAME.get(within.get(line.posts_to, line.posts_to))
    return caption.paid_as if caption is not None else ""


def settlement_lines(model: Model, book: Book) -> list[Line]:
    """Return the settlements of what no schedule settles, and what is put off of them."""
    lines: list[Line] = []
    entries = unsettled(model, book)
    template = Line("x", "", model.currency, section=SETTLED, formula="0")

    def write(name: str, label: str, formula: str, posts_to: str, part: str, rollup: Rollup | None = None) -> None:
        source = LineSource(SETTLED, part)
        line = replace(template, name=name, label=label, formula=formula, posts_to=posts_to, source=source)
        lines.append(replace(line, rollup=rollup or line.rollup))

    # The settlement is the charge itself until somebody changes it. Only then do the two differ, and what is put off
    # below holds the difference: the charge keeps its place in the income statement, whatever happens to its payment.
    for entry in entries:
        word = "received" if entry.paid_as in _RECEIPTS else "paid"
        write(entry.settlement, f"{entry.label}: {word}", entry.invoiced, entry.paid_as, entry.settlement)
    for name, label, caption, is_receipt in (
        (RECEIPTS_PUT_OFF, "Receipts put off", "other_receivables", True),
        (PAYMENTS_PUT_OFF, "Payments put off", "other_liabilities", False),
    ):
        # Receipts and payments apart: what is owed to us is an asset, what we owe a debt, and they are never netted.
        own = [entry for entry in entries if (entry.paid_as in _RECEIPTS) == is_receipt]
        if own:
            moved = "".join(f" + {entry.invoiced} - {entry.settlement}" for entry in own)
            write(name, label, f"before({name}){moved}", caption, name, rollup=BALANCE)
    return lines
