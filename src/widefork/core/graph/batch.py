"""Batches of change lists that differ in amounts only, kept as numbers: thousands of them cost no object each."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import overload

import numpy as np
from numpy.typing import NDArray

from widefork.core.changes import Change, Operation


@dataclass(frozen=True)
class Amounts(Sequence[tuple[Change, ...]]):
    """Change lists with the same changes and different amounts.

    Parameters
    ----------
    shared : changes all lists begin with.
    ways : the changes that follow; their own amounts do not count. None of them is a delay.
    amounts : shape (lists, ways).
    """

    shared: tuple[Change, ...]
    ways: tuple[Change, ...]
    amounts: NDArray[np.float64]

    def __post_init__(self) -> None:
        if any(way.operation is Operation.DELAY for way in self.ways):
            raise ValueError("delays of different lengths are different changes; list them one by one")

    def __len__(self) -> int:
        return len(self.amounts)

    @overload
    def __getitem__(self, place: int) -> tuple[Change, ...]: ...
    @overload
    def __getitem__(self, place: slice) -> "Amounts": ...
    def __getitem__(self, place: int | slice) -> "tuple[Change, ...] | Amounts":
        if isinstance(place, slice):
            return Amounts(self.shared, self.ways, self.amounts[place])
        pairs = zip(self.ways, self.amounts[place].tolist(), strict=True)
        return (*self.shared, *(way.with_amount(amount) for way, amount in pairs))
