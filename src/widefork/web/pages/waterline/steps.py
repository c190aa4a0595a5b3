"""The steps of the sketch as stairs: what each does to the worst month."""

from dataclasses import dataclass
from math import isfinite

from widefork.core.analysis.waterline import stairs
from widefork.core.changes import resolve
from widefork.web.shared import formats
from widefork.web.shared.context import View

WIDTH, HEIGHT = 430, 118


@dataclass(frozen=True, kw_only=True)
class Step:
    """A step of the sketch: its words, its effect on the worst month, and where its stair stands."""

    sentence: str
    effect: str
    room: str
    place: int
    x: float
    y: float
    before_y: float
    helps: bool


@dataclass(frozen=True, kw_only=True)
class Stairs:
    """The steps from the first shortfall to now."""

    start: str
    start_y: float
    steps: tuple[Step, ...]
    level_y: float
    width: float
    height: float
    stair: float


def build_stairs(view: View) -> Stairs | None:
    """Return the worst month's room without the sketch, and after each of its steps."""
    state = view.sketch
    if state is None or state.case != view.address.case or not state.steps:
        return None
    model = view.snapshot.model
    before = resolve(model.case_by_name, model.move_by_name, state.case)
    readings = stairs(view.snapshot.plan, before, state.steps)
    known = [reading.room if reading is not None else float("nan") for reading in readings]
    finite = [room for room in known if isfinite(room)] or [0.0]
    top, low = max(0.0, *finite), min(0.0, *finite)
    width, height = WIDTH, HEIGHT
    scale = (height - 36) / (top - low or 1.0)
    stair = min(96.0, (width - 20) / max(1, len(state.steps) + 1))

    def y(room: float) -> float:
        return round(20 + (top - (room if isfinite(room) else low)) * scale, 1)

    unit = model.currency
    steps = tuple(
        Step(
            sentence=sentence,
            effect=formats.signed(known[place + 1] - known[place], unit),
            room=formats.amount(known[place + 1], unit),
            place=place,
            x=round(10 + stair * (place + 1), 1),
            y=y(known[place + 1]),
            before_y=y(known[place]),
            helps=known[place + 1] > known[place],
        )
        for place, sentence in enumerate(state.sentences)
    )
    return Stairs(
        start=formats.amount(known[0], unit),
        start_y=y(known[0]),
        steps=steps,
        level_y=y(0.0),
        width=width,
        height=height,
        stair=round(stair, 1),
    )
