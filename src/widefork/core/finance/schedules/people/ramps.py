"""How new people count while they ramp: by months, evenly, or by a profile of Frame."""

from collections.abc import Sequence

from widefork.core.finance.schedules.people.attributes import TEAM
from widefork.core.finance.schedules.register import Columns
from widefork.core.finance.schedules.schedule import Draft
from widefork.core.graph.model import Profile

HIRED, RETURNED = "ramp", "return_ramp"


def ramp_weights(draft: Draft, team: str, part: str = HIRED) -> tuple[float, ...]:
    """Return what a new head of a team counts by months of age, the last value holding on.

    Parameters
    ----------
    draft : of a team plan. part : ``HIRED`` or ``RETURNED``.

    Raises
    ------
    InvalidModel: a profile that is not there.

    Examples
    --------
    A ramp of two months counts a third, then two thirds, then all.
    """
    columns = Columns(draft, draft.value("register"), TEAM, "register")
    named = columns.read("ramp_profile")[(team,)]
    if part == HIRED and named:
        return profile_of(draft.model.profiles, team, named, draft).values
    months = columns.read(part)[(team,)]
    return tuple((age + 1) / (months + 1) for age in range(months + 1))


def profile_of(profiles: Sequence[Profile], team: str, text: str, draft: Draft) -> Profile:
    """Return the profile a team's ramp names, by name or label; raise InvalidModel naming the known ones."""
    for profile in profiles:
        if text.lower() in (profile.name.lower(), profile.label.lower()):
            return profile
    known = ", ".join(profile.label for profile in profiles) or "there is none yet"
    raise draft.refuse(f"{team}: expected a profile of Frame ({known}) for its ramp; got “{text}”.", "register")
