"""What a row of flows is worth: present value, rates of return, and when it has paid back."""

from widefork.core.analysis.worth.flows import (
    PayBack,
    internal_rates,
    modified_rate,
    pay_back,
    present_value,
    profitability,
)

__all__ = ["PayBack", "internal_rates", "modified_rate", "pay_back", "present_value", "profitability"]
