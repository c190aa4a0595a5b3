"""What happened before the plan, and beside it: series as they came, the steps taken on them, forecasts kept of them.

Nothing here is computed: ``analysis/trends`` takes the steps and makes the forecasts.
"""

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from enum import StrEnum
from typing import Any

from widefork.core.axes import Month
from widefork.core.closing import NOT_GIVEN
from widefork.core.errors import InvalidModel, UnknownName

PERIODS_A_YEAR = (12, 4, 2, 1)
LONGEST_HISTORY = 1200


class Doubled(StrEnum):
    """What is taken where a period stands more than once."""

    SUM = "sum"
    MEAN = "mean"
    FIRST = "first"
    LAST = "last"


class Gaps(StrEnum):
    """How a gap is filled."""

    LEAVE = "leave"
    INTERPOLATE = "interpolate"
    ZERO = "zero"
    LAST_YEAR = "same month last year"


class StepKind(StrEnum):
    """What a step does."""

    DOUBLED = "doubled"
    GAP = "gap"
    LEAVE_OUT = "leave out"
    SINCE = "since"
    LEVEL = "level"


WAYS: Mapping[StepKind, tuple[str, ...]] = {
    StepKind.DOUBLED: tuple(way.value for way in Doubled),
    StepKind.GAP: tuple(way.value for way in Gaps),
}
"""The kinds of step that are done in one of several ways."""


@dataclass(frozen=True)
class Step:
    """One step on a series before it is forecast; what came is untouched by it.

    Parameters
    ----------
    kind : ``doubled`` takes one of the values of a period that stood more than once, or makes one of them. ``gap``
        fills an unknown period. ``leave out`` makes a period unknown: an event that will not come again. ``since``
        forgets what was before a period. ``level`` brings what was before a period to the level since then.
    month : any month of the period. way : how, for kinds that have several ways. note : why, or what happened.

    Raises
    ------
    InvalidModel: a way its kind does not have.
    """

    kind: StepKind
    month: Month
    way: str = ""
    note: str = ""

    def __post_init__(self) -> None:
        ways = WAYS.get(self.kind, ("",))
        if self.way not in ways:
            said = f"“{self.kind.value}” is done as one of {', '.join(ways)}; “{self.way}” was given."
            raise InvalidModel(said if ways != ("",) else f"“{self.kind.value}” is done in one way only.", "steps")


@dataclass(frozen=True)
class Recipe:
    """How a forecast is made, so that it can be made again when more is known.

    Parameters
    ----------
    method : by its name, ``best`` for whichever tests best, or ``mean_of_best``. amount : what a simple way takes: a
        rate for last year's, a count for the mean of the last.
    horizon : periods ahead; 0 to the end of the plan. season : in periods; 0 to have it found, 1 for none.
    level : what its low and high hold, above 0 and below 1. growth : at most this share up or down in a year.
    is_non_negative : None for so where nothing known is below 0. like : the series whose shape is borrowed.
    adding : who gives way so that the members of its line add up: ``least``, ``parts``, ``total``; empty for nobody.
    """

    method: str = "best"
    amount: float = 0.0
    horizon: int = 0
    season: int = 0
    level: float = 0.8
    gaps: Gaps = Gaps.INTERPOLATE
    is_non_negative: bool | None = None
    is_whole: bool = False
    growth: float | None = None
    like: str = ""
    adding: str = ""


@dataclass(frozen=True)
class KeptForecast:
    """A forecast kept under a name, with the recipe it was made by.

    Parameters
    ----------
    start : first month of its first period. amounts, low, high : by period, in the line's unit; the last two are empty
        where too little was known for them. label : the method. count : the known periods it was made from.
    season : its length in periods, 1 for none.
    """

    name: str
    recipe: Recipe
    start: Month
    amounts: tuple[float, ...]
    low: tuple[float, ...] = ()
    high: tuple[float, ...] = ()
    label: str = ""
    count: int = 0
    season: int = 1


@dataclass(frozen=True)
class History:
    """What happened with a line at some members, or with something the plan has no line for.

    Parameters
    ----------
    line : a line's name; of any other series (weather, the economy), a name of its own.
    start : first month of the first period. values : by period, as they came, in the line's unit; NaN where nothing is
        known. Of a period that stood more than once, the sum.
    members : (dimension, member) pairs of the line; empty for all of it.
    per_year : 12 months, 4 quarters, 2 half-years or 1 year.
    label, unit : of a series that is no line's.
    doubled : by first month of the period, the values that came where there was more than one.
    steps : taken one after the other, before it is forecast. forecasts : kept of it, by name.

    Raises
    ------
    InvalidModel: no values, a value that is infinite, periods that are none of these, a name twice.
    """

    line: str
    start: Month
    values: tuple[float, ...]
    members: tuple[tuple[str, str], ...] = ()
    per_year: int = 12
    label: str = ""
    unit: str = ""
    doubled: Mapping[Month, tuple[float, ...]] = field(default_factory=dict)
    steps: tuple[Step, ...] = ()
    forecasts: tuple[KeptForecast, ...] = ()
    note: str = ""

    def __post_init__(self) -> None:
        place = f"histories/{self.line}"
        if self.per_year not in PERIODS_A_YEAR:
            said = f"A history is by month, quarter, half-year or year; {self.per_year} periods a year were given."
            raise InvalidModel(said, place)
        if not 1 <= len(self.values) <= LONGEST_HISTORY:
            raise InvalidModel(f"A history has 1 to {LONGEST_HISTORY:,} periods; {len(self.values):,} are here.", place)
        if any(abs(value) == float("inf") for value in self.values):
            raise InvalidModel("A history holds numbers; leave what is unknown empty.", place)
        names = [forecast.name for forecast in self.forecasts]
        if len(set(names)) < len(names):
            raise InvalidModel("Two forecasts of a series have one name; names are used once.", place)

    @property
    def name(self) -> str:
        """What it is called among others: the line, with its members."""
        return history_name(self.line, self.members)

    @property
    def last(self) -> Month:
        """The last month of its last period."""
        return self.start.plus(len(self.values) * 12 // self.per_year - 1)

    def before(self, month: Month) -> tuple[float, ...]:
        """Return its months before a month, latest last: untouched, NaN where unknown; none but of monthly ones."""
        gap = self.start.ordinal + len(self.values) - month.ordinal
        if self.per_year != 12 or -gap >= LONGEST_HISTORY:
            return ()
        known = self.values[: len(self.values) - gap] if gap > 0 else self.values + (NOT_GIVEN,) * -gap
        return known if self.start < month else ()


def history_name(line: str, members: tuple[tuple[str, str], ...]) -> str:
    """Return what a history is called: the line, with its members."""
    return " ".join((line, *(member for _, member in members)))


def step_document(step: Step) -> dict[str, Any]:
    """Return a step as files and the store write it."""
    written = {"do": step.kind.value, "in": str(step.month)}
    return written | ({"by": step.way} if step.way else {}) | ({"note": step.note} if step.note else {})


def read_step(document: Mapping[str, Any]) -> Step:
    """Return the step a document describes; raise InvalidModel."""
    try:
        kind = StepKind(document["do"])
    except ValueError:
        known = ", ".join(each.value for each in StepKind)
        raise InvalidModel(f"A step is one of {known}; “{document['do']}” was given.", "steps") from None
    return Step(kind, Month.parse(str(document["in"])), document.get("by", ""), document.get("note", ""))


def forecast_document(forecast: KeptForecast) -> dict[str, Any]:
    """Return a forecast as files and the store write it: of its recipe only what is not usual."""
    usual = asdict(Recipe())
    made = asdict(forecast.recipe) | {"gaps": forecast.recipe.gaps.value}
    recipe = {key: value for key, value in made.items() if value != usual[key]}
    written: dict[str, Any] = {
        "name": forecast.name, "start": str(forecast.start), "amounts": list(forecast.amounts), "by": forecast.label,
        "known": forecast.count, "season": forecast.season,
    }  # fmt: skip
    ends = {"low": list(forecast.low), "high": list(forecast.high)} if forecast.low else {}
    return written | ends | ({"recipe": recipe} if recipe else {})


def read_forecast(document: Mapping[str, Any]) -> KeptForecast:
    """Return the forecast a document describes; raise InvalidModel."""
    recipe = dict(document.get("recipe", {}))
    unknown = sorted(set(recipe) - set(asdict(Recipe())))
    if unknown:
        raise InvalidModel(UnknownName("part of a recipe", unknown[0], asdict(Recipe())).sentence, "forecasts")
    if "gaps" in recipe:
        recipe["gaps"] = Gaps(recipe["gaps"])
    low, high = (tuple(document.get(end, ())) for end in ("low", "high"))
    return KeptForecast(
        document["name"], Recipe(**recipe), Month.parse(str(document["start"])), tuple(document["amounts"]), low, high,
        document.get("by", ""), document.get("known", 0), document.get("season", 1),
    )  # fmt: skip


def merged(before: History, later: History) -> History:
    """Return a history with what came later of the same series: it goes before what was known of its periods.

    Periods the later one does not know stay as they were, steps and forecasts too. Of other periods (quarters after
    months) it takes the place of all that was known.
    """
    kept = replace(later, steps=before.steps, forecasts=before.forecasts, note=later.note or before.note)
    kept = replace(kept, label=later.label or before.label, unit=later.unit or before.unit)
    if before.per_year != later.per_year:
        return kept
    months = 12 // later.per_year
    known: dict[int, float] = {}
    for history in (before, later):
        for place, value in enumerate(history.values):
            at = history.start.ordinal + place * months
            known[at] = value if value == value else known.get(at, NOT_GIVEN)
    told = {later.start.plus(place * months).ordinal for place, value in enumerate(later.values) if value == value}
    doubled = {month: came for month, came in before.doubled.items() if month.ordinal not in told}
    first, last = min(known), max(known)
    values = tuple(known.get(at, NOT_GIVEN) for at in range(first, last + 1, months))
    return replace(kept, start=Month.from_ordinal(first), values=values, doubled={**doubled, **later.doubled})
