"""Edits of how liquidity is read: the lowest level allowed, days of the month, and what is under way."""

from collections.abc import Callable, Iterable
from dataclasses import replace

from widefork.core.errors import UnknownName
from widefork.core.finance.statements import CAPTION_BY_NAME
from widefork.core.liquidity import DayRule, Liquidity
from widefork.core.rules import Rule
from widefork.store.edit import Apply, Edit
from widefork.store.edits.frame import change_model
from widefork.store.saving import liquidity_document


def set_lowest_level(level: Rule | None, sentence: str) -> Apply:
    """Say how low cash after overdraft may go; None for as low as the overdraft allows.

    Raises (when applied)
    ------
    InvalidModel: None, while a case or figure is about the level.
    """
    return _changed(sentence, lambda liquidity: replace(liquidity, level=level))


def set_days(line: str, rule: DayRule | None, sentence: str) -> Apply:
    """Say when in the month a receipt or payment moves; None for its kind's usual days. Raises UnknownName."""

    def change(liquidity: Liquidity) -> Liquidity:
        days = {name: known for name, known in liquidity.days.items() if name != line}
        return replace(liquidity, days=days if rule is None else {**days, line: rule})

    return _changed(sentence, change, line)


def set_under_way(schedules: Iterable[str], days: int, sentence: str) -> Apply:
    """Say which receivables are money on its way to the bank, and on which working day of the next month it arrives.

    Raises (when applied)
    ------
    UnknownName: another schedule. InvalidValue: days out of range.
    """
    wanted = tuple(schedules)
    return _changed(sentence, lambda liquidity: replace(liquidity, under_way=wanted, under_way_days=days))


def _changed(sentence: str, change: Callable[[Liquidity], Liquidity], line: str = "") -> Apply:
    def apply(edit: Edit) -> None:
        model = edit.present_model()
        if line and line not in CAPTION_BY_NAME:
            model.line(line)
        liquidity = change(model.liquidity)
        known = [given.name for given in model.schedules if given.kind == "receivables"]
        for name in liquidity.under_way:
            if name not in known:
                raise UnknownName("receivables", name, known)
        change_model(sentence, liquidity=liquidity_document(liquidity, edit.rows))(edit)

    return apply
