"""Schedules: settings in, generated lines out. One line here per schedule."""

from widefork.core.finance.schedules.fixed_assets.schedule import FIXED_ASSETS
from widefork.core.finance.schedules.income_tax.schedule import INCOME_TAX
from widefork.core.finance.schedules.loan.schedule import LOAN
from widefork.core.finance.schedules.overdraft.schedule import OVERDRAFT
from widefork.core.finance.schedules.schedule import Draft, Schedule, Setting, SettingKind, summed
from widefork.core.finance.schedules.trade_terms.schedule import PAYABLES, RECEIVABLES
from widefork.core.registry import Registry

SCHEDULES: Registry[Schedule] = Registry("schedule", RECEIVABLES, PAYABLES, FIXED_ASSETS, LOAN, OVERDRAFT, INCOME_TAX)

__all__ = ["SCHEDULES", "Draft", "Schedule", "Setting", "SettingKind", "summed"]
