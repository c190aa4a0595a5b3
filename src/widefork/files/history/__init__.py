"""Histories from tables of cells: what happened, long before a plan begins."""

from widefork.files.history.numbers import decimal_mark, read_number
from widefork.files.history.periods import read_period
from widefork.files.history.placing import Placed, place_choices, place_label, place_table
from widefork.files.history.read import HistoryTable, read_history

__all__ = [
    "HistoryTable", "Placed", "decimal_mark", "place_choices", "place_label", "place_table", "read_history",
    "read_number", "read_period",
]  # fmt: skip
