"""The opening balance sheet as plain data."""

from dataclasses import dataclass

from widefork.core.finance.assemble import opening_balances
from widefork.core.finance.statements import CAPTION_BY_NAME, LAYOUTS, OPENING_CAPTIONS, Statement
from widefork.web.shared import formats
from widefork.web.shared.context import View


@dataclass(frozen=True, kw_only=True)
class OpeningRow:
    """A caption's opening balance. ``parts`` are the schedules it comes from, as (label, address, amount)."""

    name: str
    label: str
    emphasis: str
    text: str
    typed: str
    is_own: bool
    parts: tuple[tuple[str, str, str], ...]


@dataclass(frozen=True, kw_only=True)
class OpeningSheet:
    """The opening balance sheet. ``difference`` is empty where it balances; ``suggestion`` would make it."""

    month: str
    rows: tuple[OpeningRow, ...]
    difference: str
    words: str
    suggestion: str
    suggested: str


def build_opening(view: View) -> OpeningSheet:
    """Return the opening balance sheet, where each balance stands, and what would mend a difference."""
    model, currency = view.snapshot.model, view.snapshot.model.currency
    lines = [line for line in model.lines if line.posts_to]
    openings = opening_balances(lines, model)
    labels = {given.name: given.label for given in model.schedules}
    rows = []
    for name in LAYOUTS[model.statements.layout].rows[Statement.BALANCE]:
        caption = CAPTION_BY_NAME[name]
        posted = [line for line in lines if line.posts_to == name and line.opening and line.source is not None]
        parts = tuple(
            (
                labels.get(line.source.schedule, line.label),
                view.address.url(open=line.source.schedule, new=""),
                formats.cell(line.opening, currency),
            )
            for line in posted
            if line.source is not None
        )
        is_own = name in OPENING_CAPTIONS
        if not openings[name] and not is_own and caption.emphasis == "part":
            continue
        rows.append(
            OpeningRow(
                name=name,
                label=model.line(name).label,
                emphasis=caption.emphasis.value,
                text=formats.cell(openings[name], currency),
                typed=formats.written_out(openings[name]) if is_own else "",
                is_own=is_own,
                parts=parts,
            )
        )
    gap = openings["total_assets"] - openings["equity_and_liabilities"]
    balanced = abs(gap) < 0.005
    wanted = openings["retained_earnings"] + gap
    return OpeningSheet(
        month=model.timeline.start.plus(-1).label,
        rows=tuple(rows),
        difference="" if balanced else formats.amount(abs(gap), currency),
        words="" if balanced else f"Assets are {'above' if gap > 0 else 'below'} equity and liabilities by that.",
        suggestion="" if balanced else f"Retained earnings of {formats.amount(wanted, currency)} would balance it.",
        suggested="" if balanced else formats.written_out(wanted),
    )
