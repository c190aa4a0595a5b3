"""Amounts spread over months: what several schedules do with what was paid, granted or bought at once."""

from widefork.core.finance.schedules.schedule import Draft, Late
from widefork.core.language.printing import write_number
from widefork.core.lines import Line


def spread(flow: str, months: int, opening: float = 0.0, opening_months: int = 1) -> str:
    """Return the formula of a flow charged in equal parts over months, its own first, and an opening run off.

    Parameters
    ----------
    opening : what is left of earlier flows before the first month, in currency. opening_months : it runs off over.
    """
    formula = f"trailing({flow}, {months}) / {months}"
    if opening:
        formula += f" + (if month_number <= {opening_months} then {write_number(opening)} / {opening_months} else 0)"
    return formula


def spread_late(posts_to: str, months: int) -> Late:
    """Return how an unexplained movement is released: in equal parts over months, from the one after."""
    return Late(posts_to, lambda moved: f"before(trailing({moved}, {months})) / {months}", "released late")


def unposted(draft: Draft, lines: tuple[Line, ...], starts: str) -> tuple[Line, ...]:
    """Return the lines a schedule spreads; raise InvalidModel where one posts to the income statement by itself."""
    posted = [line.label for line in lines if line.posts_to]
    if posted:
        raise draft.refuse(
            f"{posted[0]} posts to the income statement already. {starts}; let the line post nowhere.", "of"
        )
    return lines
