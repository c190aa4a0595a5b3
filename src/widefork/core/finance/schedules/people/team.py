"""How lines over the teams are written: by attribute, by formula, and from lines of the user's own."""

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from widefork.core.axes import Dimension
from widefork.core.finance.schedules.register import Columns
from widefork.core.finance.schedules.schedule import Draft

OF_TEAM = ("heads", "full_time", "bonus", "benefits", "charges", "capacity")
"""Attributes whose lines are called “… of team”, because a line of the plan has their plain name."""


@dataclass(frozen=True)
class Team:
    """The teams of a plan of people, and the lines written over them."""

    draft: Draft
    register: Dimension
    columns: Columns

    def assume(self, key: str, unit: str = "") -> str:
        """Write the assumption a team's attribute becomes; return its name."""
        part = f"{key}_of_team" if key in OF_TEAM else key
        values = {key: float(value or 0.0) for key, value in self.columns.read(key).items()}
        return self.draft.assume_each(
            part, self.columns.label(key), self._unit(unit or "CUR/head"), self.register, values
        )

    def build(self, part: str, label: str, values: Mapping[tuple[str, ...], Any], unit: str = "") -> str:
        """Write numbers that say how the teams are built; return their line's name."""
        return self.draft.assume_each(part, label, unit, self.register, dict(values), is_fixed=True)

    def write(self, part: str, label: str, formula: str, unit: str = "CUR", **more: Any) -> str:
        """Write a line over the teams; return its name."""
        over = (self.register.name,)
        return self.draft.calculate(part, label, formula, unit=self._unit(unit), dimensions=over, **more)

    def total(self, part: str) -> str:
        """Return the formula of a line with all teams taken together."""
        return f"sum_over({self.draft.name(part)})"

    def own(self, key: str) -> str:
        """Return what a line of the user's own says of each team; ``0`` where none was given."""
        lines = self.draft.lines_of(key)
        if not lines:
            return "0"
        if len(lines) > 1 or lines[0].dimensions != (self.register.name,):
            raise self.draft.refuse(
                f"Expected one line over {self.register.name} for {self.draft.schedule.setting(key).label}; got "
                f"{', '.join(line.label for line in lines)}. Spread it over {self.register.name} under Drivers.",
                key,
            )
        return lines[0].name

    def _unit(self, unit: str) -> str:
        return unit.replace("CUR", self.draft.model.currency)
