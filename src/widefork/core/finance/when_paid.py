"""When each line is paid, in words; and the lines that post nowhere although they should."""

from dataclasses import dataclass

from widefork.core.finance.assemble import book_of, write_schedules
from widefork.core.finance.schedules import Role
from widefork.core.finance.statements.captions import CAPTION_BY_NAME, INCOME
from widefork.core.graph.model import Model
from widefork.core.graph.plan import Plan

IN_THE_MONTH = "in the month"


@dataclass(frozen=True)
class Payment:
    """When a line is paid.

    Parameters
    ----------
    line, label : the user's line. is_receipt : money comes in.
    caption : what it posts to; empty for what a schedule spreads.
    schedule : name of the schedule that settles it; empty for none.
    words : “47 days after the invoice”, “in the month”.
    """

    line: str
    label: str
    is_receipt: bool
    caption: str
    schedule: str
    words: str


def payments(model: Model) -> tuple[Payment, ...]:
    """Return when each of the user's lines that is received or paid is settled, in reading order.

    Parameters
    ----------
    model : as stored, without generated lines.
    """
    book = book_of(model)
    drafts = {draft.given.name: draft for draft in write_schedules(model)}
    within = {row.name: row.within for row in model.statements.rows}
    stocks = book.settlers_of_stocks()
    found = []
    for line in model.lines:
        caption = CAPTION_BY_NAME.get(within.get(line.posts_to, line.posts_to))
        spread = book.has(Role.SPREAD_REVENUE, line.name) or book.has(Role.SPREAD_COST, line.name)
        settler = book.roles[Role.SETTLED].get(line.name)
        if settler is None and not spread and (caption is None or not caption.paid_as):
            continue
        is_receipt = book.has(Role.SPREAD_REVENUE, line.name) or (
            caption is not None and caption.paid_as in ("customer_receipts", "other_receipts")
        )
        stock = book.roles[Role.STOCKED].get(line.name)
        if settler is None and stock is not None:
            settler = stocks.get(stock.name)
        words = IN_THE_MONTH
        if settler is not None:
            draft = drafts[settler.name]
            words = draft.schedule.words(draft)
        if stock is not None:
            words = f"bought for {stock.label}, paid {words}"
        settled_by = settler.name if settler is not None else ""
        found.append(Payment(line.name, line.label, is_receipt, line.posts_to, settled_by, words))
    return tuple(found)


def posts_nowhere(plan: Plan) -> tuple[str, ...]:
    """Return the user's lines in currency that add up month by month and reach no row of the income statement.

    These are the costs and revenues somebody worked out and forgot to post.
    """
    posted = [line.name for line in plan.model.lines if line.posts_to or line.is_generated]
    reached = plan.upstream([*(caption.name for caption in INCOME), *posted])
    # What a ratio is made of is there to be read, such as a gross margin in currency.
    read = {part for line in plan.model.lines for part in (line.rollup.numerator, line.rollup.denominator)}
    return tuple(
        line.name
        for line in plan.model.lines
        if not line.is_generated
        and line.is_flow
        and line.unit == plan.model.currency
        and line.name not in reached
        and line.name not in read
        and not _reads_statements(plan, line.name)
    )


def _reads_statements(plan: Plan, name: str) -> bool:
    """Whether a line is made of captions and schedules only: a reading of the plan, not a part of it."""
    line = plan.model.line(name)
    needs = [n for n in plan.needs[name].names if n in plan.model.line_by_name] if name in plan.needs else []
    return not line.is_assumption and bool(needs) and all(plan.model.line(n).is_generated for n in needs)
