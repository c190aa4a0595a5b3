"""The same value in every month."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Timeline
from widefork.core.rules.rule import RuleKind, Values, number, plain


@dataclass(frozen=True)
class Flat:
    """One value for all months."""

    value: float

    def values(self, timeline: Timeline) -> Values:
        """Return the value in each month."""
        return np.full(timeline.month_count, self.value)

    def words(self, show: Callable[[float], str]) -> str:
        """Return ``flat 46.00``."""
        return f"flat {show(self.value)}"

    def document(self) -> Any:
        """Return the bare number."""
        return plain(self.value)


FLAT = RuleKind("flat", "Flat", lambda document: Flat(number(document, "a flat value")), Flat)
