"""People ranked for a seat by the levels they have of the skills it asks for. It ranks; it does not decide.

Fit is the sum of the levels somebody has, none counted beyond what is asked, over the sum of those asked: so every
level missing weighs the same, and nobody is ranked higher for being able to do more than the seat needs.
"""

import re
from collections.abc import Mapping
from dataclasses import dataclass

from widefork.core.axes import Dimension
from widefork.core.errors import InvalidValue

MOST_LEVEL = 10


@dataclass(frozen=True)
class Gap:
    """A skill somebody has less of than is asked."""

    skill: str
    asked: float
    has: float


@dataclass(frozen=True)
class Costs:
    """What closing gaps and moving cost.

    Parameters
    ----------
    level_cost, level_months : for one level of one skill; trained one after another.
    moving_cost : for somebody from another region.
    """

    level_cost: float
    level_months: float
    moving_cost: float


@dataclass(frozen=True)
class Fit:
    """One person for one seat.

    Parameters
    ----------
    share : 0 to 1. gaps : what is missing, the largest first. months, training : to close them.
    moving : cost of moving. is_there : in the seat's team already.
    """

    person: str
    team: str
    manager: str
    share: float
    gaps: tuple[Gap, ...]
    months: float
    training: float
    moving: float
    is_there: bool

    @property
    def cost(self) -> float:
        """Training and moving together, in currency."""
        return self.training + self.moving


def read_asks(text: str) -> dict[str, float]:
    """Return skills with the levels asked, as written: ``sampling 3, chemistry 2``.

    Raises
    ------
    InvalidValue: what is not a skill with a level from 0 to 10, or a skill named twice.

    Examples
    --------
    >>> read_asks("sampling 3, Chemistry 2")
    {'sampling': 3.0, 'chemistry': 2.0}
    """
    found: dict[str, float] = {}
    for part in filter(None, (part.strip() for part in re.split(r"[,;\n]", text))):
        written = re.fullmatch(r"(.*[^\W\d_].*?)\s+(\d+(?:\.\d+)?)", part)
        if written is None or float(written[2]) > MOST_LEVEL:
            raise InvalidValue(
                f"Expected skills with levels from 0 to {MOST_LEVEL}, such as sampling 3, chemistry 2; got “{part}”."
            )
        skill = " ".join(written[1].lower().split())
        if skill in found:
            raise InvalidValue(f"{skill.capitalize()} is asked for twice; say it once.")
        found[skill] = float(written[2])
    return found


def rank_people(
    asks: Mapping[str, float], staff: Dimension, teams: Dimension, team: str, costs: Costs
) -> tuple[Fit, ...]:
    """Return everybody by how well they fit, then by what it costs, then by name.

    Parameters
    ----------
    asks : levels by skill. staff : people, each mapped to a team, with levels of skills as numbers.
    team : the seat's.

    Raises
    ------
    UnknownName: a team that is not there.
    """
    teams.index(team)
    own_team = staff.mapping(teams.name)
    region = teams.mapping("region")
    whole = sum(asks.values())
    found = []
    for person in staff.members:
        known = staff.attributes.get(person, {})
        levels = {key.lower(): float(value) for key, value in known.items() if isinstance(value, int | float)}
        gaps = [Gap(s, level, levels.get(s, 0.0)) for s, level in asks.items() if levels.get(s, 0.0) < level]
        missing = sum(gap.asked - gap.has for gap in gaps)
        here = own_team.get(person, "")
        moves = bool(here) and region.get(here, "") != region.get(team, "")
        found.append(Fit(
            person, here, str(known.get("manager", "")), 1 - missing / whole if whole else 1.0,
            tuple(sorted(gaps, key=lambda gap: gap.has - gap.asked)), missing * costs.level_months,
            missing * costs.level_cost, costs.moving_cost if moves else 0.0, here == team,
        ))  # fmt: skip
    return tuple(sorted(found, key=lambda fit: (-fit.share, fit.cost, fit.person)))
