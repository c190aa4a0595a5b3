"""The same value in every month."""

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np

from widefork.core.axes import Timeline
from widefork.core.rules.rule import Rule, RuleKind, Values, number, plain
from widefork.core.rules.steps import Steps


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

    def set_from(self, timeline: Timeline, span: slice, value: float) -> Rule:
        """Return a flat rule when all plan months are set, else steps."""
        if (
            span.start <= timeline.actual_count
            and span.stop == timeline.month_count
            and timeline.actual_count == 0
        ):
            return Flat(value)
        return Steps(((timeline.start, self.value),)).set_from(timeline, span, value)


FLAT = RuleKind("flat", "Flat", lambda document: Flat(number(document, "a flat value")), Flat)
