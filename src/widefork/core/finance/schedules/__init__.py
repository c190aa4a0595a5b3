"""Schedules: settings in, generated lines out. One line here per schedule."""

from widefork.core.finance.schedules.accrued_costs.schedule import ACCRUED_COSTS
from widefork.core.finance.schedules.annuity import annuity
from widefork.core.finance.schedules.asset_register.schedule import ASSET_REGISTER
from widefork.core.finance.schedules.book import Book, summed, total_of
from widefork.core.finance.schedules.contracts.schedule import CONTRACTS
from widefork.core.finance.schedules.dividends.schedule import DIVIDENDS
from widefork.core.finance.schedules.equity.schedule import EQUITY
from widefork.core.finance.schedules.fixed_assets.schedule import FIXED_ASSETS
from widefork.core.finance.schedules.grant.schedule import GRANT
from widefork.core.finance.schedules.income_tax.schedule import INCOME_TAX
from widefork.core.finance.schedules.inventory.schedule import INVENTORY
from widefork.core.finance.schedules.lease.schedule import LEASE
from widefork.core.finance.schedules.loan.schedule import LOAN
from widefork.core.finance.schedules.other_balance.schedule import OTHER_BALANCE
from widefork.core.finance.schedules.overdraft.schedule import OVERDRAFT
from widefork.core.finance.schedules.own_terms.schedule import OWN_TERMS
from widefork.core.finance.schedules.payroll.schedule import PAYROLL
from widefork.core.finance.schedules.people.schedule import PEOPLE
from widefork.core.finance.schedules.prepaid_billing.schedule import PREPAID_BILLING
from widefork.core.finance.schedules.prepaid_costs.schedule import PREPAID_COSTS
from widefork.core.finance.schedules.sales_tax.schedule import SALES_TAX
from widefork.core.finance.schedules.schedule import Draft, Roll, Schedule, named_lines
from widefork.core.finance.schedules.setting import NAME, Role, Setting, SettingKind
from widefork.core.finance.schedules.trade_terms.schedule import PAYABLES, RECEIVABLES
from widefork.core.finance.schedules.worth.schedule import WORTH
from widefork.core.registry import Registry

SCHEDULES: Registry[Schedule] = Registry(
    "schedule",
    RECEIVABLES,
    PAYABLES,
    PREPAID_BILLING,
    CONTRACTS,
    PREPAID_COSTS,
    ACCRUED_COSTS,
    INVENTORY,
    OTHER_BALANCE,
    PEOPLE,
    PAYROLL,
    FIXED_ASSETS,
    ASSET_REGISTER,
    LEASE,
    LOAN,
    OVERDRAFT,
    EQUITY,
    DIVIDENDS,
    GRANT,
    SALES_TAX,
    INCOME_TAX,
    OWN_TERMS,
    WORTH,
)

__all__ = [
    "NAME",
    "SCHEDULES",
    "Book",
    "Draft",
    "Role",
    "Roll",
    "Schedule",
    "Setting",
    "SettingKind",
    "annuity",
    "named_lines",
    "summed",
    "total_of",
]
