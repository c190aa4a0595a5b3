"""Ready questions as rows: each asked through the same sentence, answered in every case when it is wanted."""

from dataclasses import dataclass, replace
from math import isfinite
from urllib.parse import urlencode

from werkzeug.datastructures import MultiDict

from widefork.core.analysis.figures import answer
from widefork.core.analysis.goal_seek import Outcome, Ready, ReadyKind, Solution, read_figure, ready_questions
from widefork.core.analysis.lever import Lever, SwitchLever
from widefork.core.analysis.waterline import need_of
from widefork.core.changes import Operation
from widefork.core.engine import is_warm
from widefork.core.errors import WideforkError
from widefork.core.graph.model import Model
from widefork.web.pages.work_back.answer import amount_words, solved
from widefork.web.pages.work_back.sentence import WayAsked, read_asked
from widefork.web.shared import formats
from widefork.web.shared.case_styles import style_of
from widefork.web.shared.charts.scale import Scale
from widefork.web.shared.context import View, sentence_of, worked_out
from widefork.web.shared.frame import drawn_cases
from widefork.web.shared.lever_words import percent

TRACK, EDGE = 150, 8
MOST_OTHERS = 2
"""Cases beside the active one."""
AT_ONCE = 80_000
"""Lines times months up to which all questions are answered by themselves, once the machine is there; beyond, and until
then, one by one when asked for."""
FLOORS = (ReadyKind.PRICE_FLOOR, ReadyKind.DEMAND_FLOOR)
CEILINGS = (ReadyKind.PAID_LATE, ReadyKind.HEADS, ReadyKind.SEAT_LATE, ReadyKind.RATE_BORNE, ReadyKind.ALL_DEMAND)


@dataclass(frozen=True, kw_only=True)
class Track:
    """Today's ring and the answer's disc in the range, pixels from the left; None where there is none."""

    today: float | None
    answer: float | None


@dataclass(frozen=True, kw_only=True)
class ReadyRow:
    """A question answered. ``before``, ``about`` and ``after`` are its words; ``url`` asks it, ``answer_url`` answers
    it as a row, beside so many other cases."""

    number: int
    before: str
    about: str
    after: str
    url: str
    answer_url: str
    other_cases: int
    today: str
    answer: str
    is_short: bool
    track: Track | None
    room: str
    others: tuple[tuple[str, bool], ...]


@dataclass(frozen=True, kw_only=True)
class ReadyTable:
    """The table as it opens: the questions in words, and which cases stand beside. ``at_once`` answers by itself."""

    rows: tuple[ReadyRow, ...]
    case_label: str
    case_style: int
    others: tuple[tuple[str, int], ...]
    at_once: bool


def questions_of(view: View) -> tuple[Ready, ...]:
    """Return the ready questions of the model in the active case."""
    case = view.address.case
    return worked_out(view, ("ready", case), lambda _: ready_questions(view.snapshot.plan, case))


def build_table(view: View) -> ReadyTable:
    """Return the questions without their answers."""
    model = view.snapshot.model
    active = next(place for place, case in enumerate(model.cases) if case.name == view.address.case)
    return ReadyTable(
        rows=tuple(_unanswered(view, number, ready) for number, ready in enumerate(questions_of(view))),
        case_label=model.case(view.address.case).label,
        case_style=style_of(active),
        others=tuple((model.cases[place].label, style_of(place)) for place in _others(view)),
        at_once=is_warm() and len(model.lines) * len(model.timeline.months) <= AT_ONCE,
    )


def _others(view: View) -> list[int]:
    model = view.snapshot.model
    drawn = [p for p in drawn_cases(model, view.address.case) if model.cases[p].name != view.address.case]
    return drawn[:MOST_OTHERS]


def _unanswered(view: View, number: int, ready: Ready) -> ReadyRow:
    before, about, after = _words(view.snapshot.model, ready)
    address = view.address.plain
    return ReadyRow(
        number=number, before=before, about=about, after=after, url=_url(view, ready),
        answer_url=f"{address.url('work_back/ready')}&number={number}", other_cases=len(_others(view)),
        today="", answer="", is_short=False, track=None, room="", others=(),
    )  # fmt: skip


def _words(model: Model, ready: Ready) -> tuple[str, str, str]:
    """The question, with what it is about in the middle."""
    about = ready.about
    goal = ""
    if ready.figure:
        figure = read_figure(model, ready.figure)
        goal = formats.figure_text(figure, model.line(figure.line), ready.target)
    match ready.kind:
        case ReadyKind.PRICE_FLOOR:
            return "How low may ", about, f" go before {ready.figure} is {goal}?"
        case ReadyKind.PRICE_FOR:
            return "What ", about, f" gives {ready.figure} of {goal}?"
        case ReadyKind.DEMAND_FLOOR:
            return "How far may ", about, " fall before the waterline?"
        case ReadyKind.ALL_DEMAND:
            return "How far may ", about, " fall together before the waterline?"
        case ReadyKind.VOLUME_FOR:
            return "How many more ", about, f" give {ready.figure} of {goal}?"
        case ReadyKind.PAID_LATE:
            return "How late may ", about, " pay before the waterline?"
        case ReadyKind.MONEY:
            return "How much ", "money to raise", ", and by when?"
        case ReadyKind.HEADS:
            return "How many more ", about, " can be paid, above the waterline?"
        case ReadyKind.SEAT_LATE:
            return "How late can ", about, " start, the team no shorter than planned?"
        case ReadyKind.MOVE_WHEN:
            return "When may ", about, " start, above the waterline?"
    return "Which rate can ", about, f" bear, {ready.figure} at least {goal}?"


def _pairs(view: View, ready: Ready) -> list[tuple[str, str]]:
    model = view.snapshot.model
    figure = read_figure(model, ready.figure)
    target = formats.typed(ready.target, model.line(figure.line).unit)
    pairs = [("figure", ready.figure), ("sense", ready.sense.value), ("target", target)]
    for lead, low, high in ready.levers:
        pairs += [("lever", lead), ("low", low), ("high", high), ("weight", "1")]
    if len(ready.levers) > 1:
        pairs.append(("way", WayAsked.TOGETHER.value))
    months = (("starting", ready.first), ("until", ready.last))
    return pairs + [(key, month.label) for key, month in months if month is not None]


def _url(view: View, ready: Ready) -> str:
    if not ready.levers:
        return view.address.url("waterline")
    return f"{view.address.plain.url()}&{urlencode([*_pairs(view, ready), ('ask', '1')])}"


def waiting_row(view: View, number: int) -> ReadyRow | None:
    """Return one question without its answers; None where there is no such question."""
    questions = questions_of(view)
    return _unanswered(view, number, questions[number]) if 0 <= number < len(questions) else None


def answer_row(view: View, number: int) -> ReadyRow:
    """Return one question with its answer in every case shown."""
    ready = questions_of(view)[number]
    row = _unanswered(view, number, ready)
    cases = [view.address.case, *(view.snapshot.model.cases[place].name for place in _others(view))]
    if ready.kind is ReadyKind.MONEY:
        return _money(view, row, cases)
    try:
        found = [_solved(view, ready, case) for case in cases]
    except WideforkError as refused:
        return _with(row, answer="–", room=sentence_of(refused))
    texts = [_answer(view, ready, each) for each in found]
    return _with(
        row,
        today=_today(view, ready, found[0]),
        answer=texts[0][0],
        is_short=texts[0][1],
        track=_track(found[0], ready),
        room=_room(view, ready, found[0]),
        others=tuple(texts[1:]),
    )


def _solved(view: View, ready: Ready, case: str) -> Solution:
    """The answer in a case; of a seat, measured by how short its team is there."""
    if ready.start is not None:
        figure = read_figure(view.snapshot.model, ready.figure)
        here = float(answer(figure, view.snapshot.results).amounts[view.snapshot.place(case)])
        ready = replace(ready, target=here)
    return solved(view, read_asked(view, MultiDict(_pairs(view, ready))), case)


def _with(row: ReadyRow, **values: object) -> ReadyRow:
    return ReadyRow(**{**row.__dict__, **values})


def _money(view: View, row: ReadyRow, cases: list[str]) -> ReadyRow:
    """What every case is short of and from when on; the same as the Waterline says."""
    texts: list[tuple[str, bool]] = []
    words = ""
    unit = view.snapshot.model.currency
    for case in cases:
        need = need_of(view.snapshot.results, view.snapshot.place(case), None)
        if need is None:
            texts.append(("none", False))
            continue
        texts.append((f"{formats.amount(need.amount, unit)}, {need.first.label}", True))
        if case == cases[0]:
            words = f"before interest; lowest in {need.worst.label}"
    return _with(row, answer=texts[0][0], is_short=texts[0][1], room=words, others=tuple(texts[1:]))


def _end(ready: Ready, found: Solution) -> float:
    """The amount that answers: how low or how high it may go, or what reaches it."""
    if found.outcome is Outcome.ALREADY:
        return found.holds[1] if ready.kind in CEILINGS else found.holds[0]
    return found.amount


def _answer(view: View, ready: Ready, found: Solution) -> tuple[str, bool]:
    """The answer in a cell, and whether the case falls short as it stands."""
    model, lever = view.snapshot.model, found.goal.lever
    if ready.kind is ReadyKind.MOVE_WHEN:
        return _when(found)
    match found.outcome:
        case Outcome.REACHED:
            text = amount_words(model, lever, found.amount)
            is_short = ready.kind not in (ReadyKind.PRICE_FOR, ReadyKind.VOLUME_FOR)
            return (f"needs {text}" if is_short else text), is_short
        case Outcome.ALREADY:
            if ready.kind in (ReadyKind.PRICE_FOR, ReadyKind.VOLUME_FOR):
                return "today's is enough", False
            end, edge = _end(ready, found), found.goal.high if ready.kind in CEILINGS else found.goal.low
            if end == edge:
                return (f"beyond {_most(view, ready, found)}" if ready.kind in CEILINGS else "any amount"), False
            if ready.start is not None:
                return ready.start.plus(int(end)).label, False
            return _limit(view, ready, found, end), False
        case Outcome.OUT_OF_REACH | Outcome.NO_DEPENDENCE:
            return "out of reach", True
    return "no value", True


def _most(view: View, ready: Ready, found: Solution) -> str:
    """The most that was looked at."""
    if ready.start is not None:
        return ready.start.plus(int(found.goal.high)).label
    return amount_words(view.snapshot.model, found.goal.lever, found.goal.high)


def _limit(view: View, ready: Ready, found: Solution, end: float) -> str:
    """An amount it may go to, rounded to the side on which it still holds."""
    lever = found.goal.lever
    if ready.kind is ReadyKind.ALL_DEMAND:
        return percent(-int(end * 1000) / 1000)
    if isinstance(lever, Lever) and lever.operation is Operation.SCALE:
        return percent(int((end - 1) * 1000) / 1000)
    if isinstance(lever, Lever) and lever.operation is Operation.SET and not lever.is_whole and ready.kind in CEILINGS:
        unit = view.snapshot.model.line(lever.line).unit
        scale = 1000.0 if unit.startswith("%") else 1.0
        return amount_words(view.snapshot.model, lever, int(end * scale) / scale)
    return amount_words(view.snapshot.model, lever, end)


def _when(found: Solution) -> tuple[str, bool]:
    """From when to when a move may start; the months in which it may not are said by leaving them out."""
    lever = found.goal.lever
    if not isinstance(lever, SwitchLever):
        return "–", False
    good = [amount for amount, value in zip(found.amounts, found.figures, strict=True)
            if found.goal.wanted.holds(float(value))]  # fmt: skip
    if len(good) == len(found.amounts):
        return "any month", False
    if not good:
        return "no month", True
    first, last = (amount_words(lever.model, lever, float(good[place])) for place in (0, -1))
    if len(good) != good[-1] - good[0] + 1:
        return f"{len(good)} of {len(found.amounts)} months", False
    if good[-1] == found.amounts[-1]:
        return f"from {first} on", False
    return (f"up to {last}" if good[0] == found.amounts[0] else f"{first} to {last}"), False


def _today(view: View, ready: Ready, found: Solution) -> str:
    lever = found.goal.lever
    if ready.start is not None:
        return ready.start.plus(int(found.now)).label
    if isinstance(lever, Lever) and lever.operation is Operation.SET:
        return amount_words(view.snapshot.model, lever, found.now)
    if isinstance(lever, SwitchLever):
        return amount_words(view.snapshot.model, lever, found.now)
    return "as planned"


def _room(view: View, ready: Ready, found: Solution) -> str:
    """How far from today, in the lever's own terms; a reason where there is none."""
    lever, model = found.goal.lever, view.snapshot.model
    stop = found.stops[0]
    if found.outcome is Outcome.ALREADY and isinstance(lever, Lever) and lever.operation is Operation.SET:
        end = _end(ready, found)
        edge = found.goal.high if ready.kind in CEILINGS else found.goal.low
        if end != edge:
            unit = model.line(lever.line).unit
            whole = int(end - found.now) if not unit.startswith("%") else end - found.now
            return f"{formats.signed(whole, unit)} {'' if unit.startswith('%') else unit}".strip()
    if found.outcome is Outcome.REACHED and isfinite(stop) and ready.kind is ReadyKind.VOLUME_FOR:
        return f"more stops helping at {amount_words(model, lever, stop)}"
    if found.outcome is Outcome.ALREADY:
        return f"{formats.figure_text(found.goal.figure, model.line(found.goal.figure.line), found.figure_now)} now"
    if found.outcome is Outcome.REACHED:
        return f"{formats.figure_text(found.goal.figure, model.line(found.goal.figure.line), found.figure_then)} then"
    return ""


def _track(found: Solution, ready: Ready) -> Track | None:
    if found.outcome not in (Outcome.ALREADY, Outcome.REACHED) or ready.kind is ReadyKind.MOVE_WHEN:
        return None
    low, high = found.goal.low, found.goal.high
    x = Scale(low=low, high=high, start=EDGE, end=TRACK - EDGE)
    end = _end(ready, found)
    today = x(found.now) if isfinite(found.now) and low <= found.now <= high else None
    return Track(today=today, answer=x(end) if isfinite(end) else None)
