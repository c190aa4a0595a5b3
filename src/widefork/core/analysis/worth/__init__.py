"""What a row of flows is worth, and the business: present value, rates of return, and when it has paid back."""

from widefork.core.analysis.worth.company import (
    MoveWorth,
    RateTable,
    Worth,
    move_worth,
    rate_table,
    read_worth,
    worth_of,
    worth_schedule,
)
from widefork.core.analysis.worth.flows import (
    PayBack,
    internal_rates,
    modified_rate,
    pay_back,
    present_value,
    profitability,
)

__all__ = [
    "MoveWorth", "PayBack", "RateTable", "Worth", "internal_rates", "modified_rate", "move_worth", "pay_back",
    "present_value", "profitability", "rate_table", "read_worth", "worth_of", "worth_schedule",
]  # fmt: skip
