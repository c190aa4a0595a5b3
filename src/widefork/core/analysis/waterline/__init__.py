"""When cash goes under the lowest level allowed, why, by how much within a month, and what would carry it."""

from widefork.core.analysis.waterline.acts import (
    Span,
    bring_forward,
    charges_of,
    checked_span,
    instalments,
    put_off,
    reduce,
)
from widefork.core.analysis.waterline.kinds import KINDS, Handle, Kind, handle_of, lines_of
from widefork.core.analysis.waterline.money import MONEY, MONEY_BY_NAME, Ask, Money, changes_for, schedule_for
from widefork.core.analysis.waterline.need import Cause, Need, need_of
from widefork.core.analysis.waterline.proposal import LimitProposal, LoanProposal, propose_limit, propose_loan, stairs
from widefork.core.analysis.waterline.waterline import Reading, read_waterline
from widefork.core.analysis.waterline.weekly import Week, Weekly, arrival_day, day_shares, read_weeks, weeks_from

__all__ = [
    "KINDS",
    "MONEY",
    "MONEY_BY_NAME",
    "Ask",
    "Cause",
    "Handle",
    "Kind",
    "LimitProposal",
    "LoanProposal",
    "Money",
    "Need",
    "Reading",
    "Span",
    "Week",
    "Weekly",
    "arrival_day",
    "bring_forward",
    "changes_for",
    "charges_of",
    "checked_span",
    "day_shares",
    "handle_of",
    "instalments",
    "lines_of",
    "need_of",
    "propose_limit",
    "propose_loan",
    "put_off",
    "read_waterline",
    "read_weeks",
    "reduce",
    "schedule_for",
    "stairs",
    "weeks_from",
]
