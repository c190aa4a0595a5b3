"""Books as pasted or loaded: which column names the account, which holds its amount, and what each row says."""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from widefork.core.errors import InvalidValue
from widefork.web.shared.blocks import TwoReadings, bare_number, decimal_mark, read_pasted

MOST_ACCOUNTS, LONGEST_ACCOUNT = 1000, 120
_DEBIT, _CREDIT = re.compile(r"\b(debits?|dr)\b"), re.compile(r"\b(credits?|cr)\b")
"""Headings of a trial balance (common practice)."""


@dataclass(frozen=True, kw_only=True)
class Sheet:
    """Books on their way into the model, as they are kept between two requests.

    Parameters
    ----------
    rows : cells as text. name_column, amount_column : from 0. mark : decimal mark of the amounts.
    credit_column : of a trial balance, whose amount column holds debits; -1 where amounts stand in one column.
    is_to_date : income and costs are those of the fiscal year so far, as trial balances have them.
    placed : by account, the label of its place as typed; what is not there is proposed.
    ages : by schedule, what is open by age, as typed. notes : by line, why it differs from the plan.
    """

    rows: tuple[tuple[str, ...], ...]
    name_column: int
    amount_column: int
    mark: str
    credit_column: int = -1
    is_to_date: bool = False
    placed: Mapping[str, str] = field(default_factory=dict)
    ages: Mapping[str, str] = field(default_factory=dict)
    notes: Mapping[str, str] = field(default_factory=dict)

    @property
    def document(self) -> dict[str, Any]:
        """The sheet as it is stored."""
        columns = [self.name_column, self.amount_column, self.credit_column]
        kept = {"rows": [list(row) for row in self.rows], "columns": columns, "to_date": self.is_to_date}
        return {**kept, "mark": self.mark, "placed": dict(self.placed), "ages": dict(self.ages),
                "notes": dict(self.notes)}  # fmt: skip

    @classmethod
    def of_document(cls, document: Mapping[str, Any]) -> "Sheet":
        """Return the sheet a stored document is of."""
        rows = tuple(tuple(row) for row in document["rows"])
        name, amount, *credit = document["columns"]
        kept = {key: document[key] for key in ("mark", "placed", "ages", "notes")}
        return cls(
            rows=rows,
            name_column=name,
            amount_column=amount,
            credit_column=next(iter(credit), -1),
            is_to_date=document.get("to_date", False),
            **kept,
        )

    @property
    def is_trial_balance(self) -> bool:
        """Whether debits and credits stand in columns of their own."""
        return self.credit_column >= 0

    def amount_of(self, row: Sequence[str]) -> float | None:
        """Return a row's amount, a debit less a credit in a trial balance; None where it has none."""
        debit = _amount(row[self.amount_column], self.mark)
        credit = _amount(row[self.credit_column], self.mark) if self.is_trial_balance else None
        if debit is None and credit is None:
            return None
        return (debit or 0.0) - (credit or 0.0)

    @property
    def amounts(self) -> dict[str, float]:
        """Amounts by account, in the order of the rows; the same account twice is added up."""
        found: dict[str, float] = {}
        for row in self.rows:
            account = row[self.name_column][:LONGEST_ACCOUNT]
            amount = self.amount_of(row)
            if account and amount is not None and not self._is_sum(row):
                found[account] = found.get(account, 0.0) + amount
        return found

    def _is_sum(self, row: Sequence[str]) -> bool:
        """Whether a row of a trial balance is its total: debits and credits both, and alike."""
        if not self.is_trial_balance:
            return False
        debit, credit = (_amount(row[column], self.mark) for column in (self.amount_column, self.credit_column))
        return bool(debit) and debit == credit

    @property
    def left_out(self) -> tuple[str, ...]:
        """What stands in rows without an account or an amount, such as headings, and in sums."""
        rows = (
            row for row in self.rows if not row[self.name_column] or self.amount_of(row) is None or self._is_sum(row)
        )
        return tuple(" ".join(cell for cell in row if cell)[:LONGEST_ACCOUNT] for row in rows)

    @property
    def columns(self) -> tuple[tuple[int, str], ...]:
        """Every column with a few words of what stands in it."""
        width = len(self.rows[0])
        shown = []
        for place in range(width):
            cells = [row[place] for row in self.rows if row[place]][:2]
            shown.append((place, f"{place + 1}: {', '.join(cells)[:40]}"))
        return tuple(shown)

    def with_columns(self, name: int, amount: int, credit: int = -1) -> "Sheet":
        """Return the sheet read by other columns; raise InvalidValue where those cannot be read."""
        width = len(self.rows[0])
        chosen = [name, amount, *([credit] if credit >= 0 else [])]
        if not all(0 <= column < width for column in chosen) or len(set(chosen)) < len(chosen):
            raise InvalidValue("The account, its amount and its credit stand in different columns; choose each.")
        return _checked(replace(self, name_column=name, amount_column=amount, credit_column=max(credit, -1)))


def read_sheet(rows: Sequence[Sequence[str]], mark: str = "") -> Sheet:
    """Return pasted or loaded cells as books: the last column of numbers holds the amounts, the wordiest the accounts.

    Parameters
    ----------
    mark : decimal mark, where the person has said which; empty to find out.

    Raises
    ------
    InvalidValue: no column of names or none of amounts. TwoReadings: numbers that can be read two ways.
    """
    width = max((len(row) for row in rows), default=0)
    cells = tuple((*row, *[""] * (width - len(row))) for row in rows if any(row))
    numbers = [sum(_amount(row[place], ".") is not None for row in cells) for place in range(width)]
    letters = [sum(len(row[place]) for row in cells if _amount(row[place], ".") is None) for place in range(width)]
    if width < 2 or not max(numbers):
        raise InvalidValue(
            "Expected two columns, the account and its amount, as copied from a spreadsheet; got "
            f"{'one column' if width < 2 else 'no amounts'}. Copy both columns and paste again."
        )
    words = [sum(bool(row[place]) for row in cells) - numbers[place] for place in range(width)]
    amount = max(place for place in range(width) if numbers[place] and numbers[place] >= words[place] - 1)
    debit, credit = _trial_columns(cells)
    amount = debit if credit >= 0 else amount
    columns = [column for column in (amount, credit) if column >= 0]
    name = max((place for place in range(width) if place not in columns), key=lambda place: letters[place])
    known = mark or _mark_of(
        [row[column] for row in cells for column in columns if _amount(row[column], ".") is not None]
    )
    return _checked(
        Sheet(
            rows=cells,
            name_column=name,
            amount_column=amount,
            mark=known,
            credit_column=credit,
            is_to_date=credit >= 0,
        )
    )


def _trial_columns(cells: Sequence[Sequence[str]]) -> tuple[int, int]:
    """The columns of debits and credits by their headings; the last of each, which are the balances. Else (-1, -1)."""
    for row in cells:
        heads = [cell.casefold().strip(" .:") for cell in row]
        debits = [place for place, head in enumerate(heads) if _DEBIT.search(head)]
        owed = [place for place, head in enumerate(heads) if _CREDIT.search(head)]
        if debits and owed and debits[-1] != owed[-1]:
            return debits[-1], owed[-1]
    return -1, -1


def _mark_of(cells: list[str]) -> str:
    """The decimal mark of amounts. Money has two decimals at most, so three digits behind a mark are thousands."""
    used = {mark for mark in ".," for cell in cells if mark in cell}
    if len(used) == 1:
        mark = used.pop()
        marked = [bare_number(cell).strip("()-") for cell in cells if mark in cell]
        grouped = [cell for cell in marked if re.fullmatch(rf"[1-9]\d{{0,2}}(\{mark}\d{{3}})+", cell)]
        if len(grouped) == len(marked):
            return "," if mark == "." else "."
        if grouped:  # beside amounts with one or two decimals: read as a decimal it would be a thousand times too small
            raise TwoReadings(f"“{grouped[0]}” can be read two ways.")
    return decimal_mark(tuple((cell,) for cell in cells))


def _checked(sheet: Sheet) -> Sheet:
    found = sheet.amounts
    if not found:
        raise InvalidValue("No row has both an account and an amount. Choose other columns, or paste again.")
    if len(found) > MOST_ACCOUNTS:
        raise InvalidValue(f"That are {len(found):,} accounts; up to {MOST_ACCOUNTS:,} can be closed at once.")
    return sheet


def _amount(cell: str, mark: str) -> float | None:
    try:
        return read_pasted(cell, "", mark)
    except InvalidValue:
        return None
