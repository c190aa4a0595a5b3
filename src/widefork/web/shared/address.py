"""Where a person is: model, page, case, range of months and grain, all of it in the address."""

from dataclasses import dataclass, replace
from urllib.parse import urlencode

from werkzeug.datastructures import MultiDict

from widefork.core.axes import Grain, Month, Period, Timeline
from widefork.core.errors import InvalidValue
from widefork.core.graph.model import Model

COLUMNS_SHOWN = 15
ACTUALS_SHOWN = 3
VIEW_KEYS = frozenset({"case", "from", "to", "by", "since"})


@dataclass(frozen=True, kw_only=True)
class Address:
    """What a page shows.

    Parameters
    ----------
    first, last : the visible months, inclusive. since : a revision to compare with; None for none.
    own : what else the page keeps in its address (an open line, a chosen statement); other pages drop it.
    """

    model_id: int
    page: str
    case: str
    first: Month
    last: Month
    grain: Grain
    since: int | None = None
    own: tuple[tuple[str, str], ...] = ()

    def url(self, page: str | None = None, **changes: object) -> str:
        """Return the address of a page with the same view, or with some of it changed.

        ``case``, ``first``, ``last`` and ``grain`` change the view; any other name is added as it is.
        """
        seen = {key: changes.pop(key) for key in ("case", "first", "last", "grain") if key in changes}
        there = replace(self, **seen)  # type: ignore[arg-type]
        query = [("case", there.case), ("from", there.first), ("to", there.last), ("by", there.grain.value)]
        if page in (None, self.page):
            query += [(key, value) for key, value in self.own if key not in changes]
        query += [(key, value) for key, value in changes.items() if value not in (None, "")]
        return f"/m/{there.model_id}/{page or there.page}?{urlencode(query)}"

    @property
    def plain(self) -> "Address":
        """The same view without what the page keeps in its address besides."""
        return replace(self, own=())

    def by(self, grain: Grain, timeline: Timeline) -> str:
        """Return the address of the page at another grain, over the range that is usual for it."""
        first, last = usual_range(grain, timeline)
        return self.url(grain=grain, first=first, last=last)

    def columns(self, timeline: Timeline) -> tuple[Period, ...]:
        """Return the visible columns."""
        return timeline.periods(self.grain, self.first, self.last)


def usual_range(grain: Grain, timeline: Timeline) -> tuple[Month, Month]:
    """Return what is shown where nobody says: some actual months and the first of the plan, or all longer periods."""
    if grain is not Grain.MONTH:
        return timeline.start, timeline.end
    first = max(timeline.start, timeline.first_plan.plus(-ACTUALS_SHOWN))
    return first, min(timeline.end, first.plus(COLUMNS_SHOWN - 1))


def read_address(args: "MultiDict[str, str]", model_id: int, page: str, model: Model) -> Address:
    """Return the view an address asks for; what it does not say, or says wrongly, takes its usual value."""
    timeline = model.timeline
    case = args.get("case", "")
    grain = args.get("by", "")
    shown = Grain(grain) if grain in list(Grain) else Grain.MONTH
    usual_first, usual_last = usual_range(shown, timeline)
    first = _month(args.get("from"), usual_first, timeline)
    if shown is Grain.MONTH:
        usual_last = min(timeline.end, first.plus(COLUMNS_SHOWN - 1))
    last = _month(args.get("to"), usual_last, timeline)
    # A figure under a period's name is the whole period's, so the range is one of whole periods.
    first, last = timeline.whole(shown, min(first, last), max(first, last))
    since = args.get("since", "")
    return Address(
        model_id=model_id,
        page=page,
        case=case if case in model.case_by_name else model.cases[0].name,
        first=first,
        last=last,
        grain=shown,
        since=int(since) if since.isdecimal() and len(since) < 16 else None,
        own=tuple((key, value) for key, value in args.items(multi=True) if key not in VIEW_KEYS),
    )


def _month(text: str | None, otherwise: Month, timeline: Timeline) -> Month:
    try:
        month = Month.parse(text or "")
    except InvalidValue:
        return otherwise
    return min(max(month, timeline.start), timeline.end)
