"""What the address asks to be drawn: which assumptions, how spread, how often, how many times."""

from collections.abc import Mapping
from dataclasses import dataclass

from werkzeug.datastructures import MultiDict

from widefork.core.analysis.chance import Points, Redrawn, Shape, Spread, hoped_for, usual_spreads
from widefork.core.analysis.chance.points import MOST_LATIN
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.model import Model
from widefork.web.pages.swings.one.asked import SENSES
from widefork.web.shared.context import View
from widefork.web.shared.formats import read_number
from widefork.web.shared.lever_words import read_goal
from widefork.web.shared.ranges import range_words

USUAL_DRAWS = 2048
DRAWS = tuple(2**power for power in range(8, 21))
CASH = "cash_after_overdraft"
MOST_SEED = 10**9


@dataclass(frozen=True, kw_only=True)
class ChanceAsked:
    """The question.

    Parameters
    ----------
    choices : what has a range, as (spread, label, its range, is it drawn). usual : the spreads of the choices.
    spreads : what is drawn. faults : (field, sentence). fan : the line whose months are spread out.
    turn : how often the page has asked whether its draws are there.
    """

    figure: Figure
    fan: str
    shape: Shape
    held: float
    held_text: str
    rhythm: Redrawn
    persistence: float
    persistence_text: str
    draws: int
    seed: int
    points: Points
    interest: float
    interest_text: str
    contracts: bool
    by_weights: bool
    sense: str
    goal: float | None
    goal_text: str
    choices: tuple[tuple[str, str, str, bool], ...]
    usual: tuple[Spread, ...]
    spreads: tuple[Spread, ...]
    faults: Mapping[str, str]
    turn: int

    @property
    def key(self) -> tuple[object, ...]:
        """What the draws depend on; the goal is read from them."""
        return (self.figure, self.fan, self.spreads, self.draws, self.seed, self.points, self.interest, self.by_weights)


def read_chance(view: View, args: "MultiDict[str, str]") -> ChanceAsked | None:
    """Return what an address asks; what it leaves out takes its usual value. None where the model has no figure."""
    model = view.snapshot.model
    figures = {figure.name: figure for figure in model.figures}
    figure = figures.get(args.get("figure", ""), next(iter(figures.values()), None))
    if figure is None:
        return None
    faults: dict[str, str] = {}
    held = _share(args.get("held", "80"), "held", faults, 0.8)
    if not 0 < held < 1:
        faults["held"], held = "A range holds more than 0 % and less than 100 % of what may happen.", 0.8
    shape = Shape(args["shape"]) if args.get("shape", "") in list(Shape) else Shape.TRIANGULAR
    rhythm = Redrawn(args["drawn_each"]) if args.get("drawn_each", "") in list(Redrawn) else Redrawn.ONCE
    persistence = _share(args.get("persistence", "60"), "persistence", faults, 0.6)
    if not 0 <= persistence < 1:
        faults["persistence"], persistence = "Persistence lies from 0 % to below 100 %.", 0.6
    interest = _share(args.get("interest", "0"), "interest", faults, 0.0)
    if not 0 <= interest < 1:
        faults["interest"], interest = "Interest on the money needed lies from 0 % to below 100 % a year.", 0.0
    points = Points(args["points"]) if args.get("points", "") in list(Points) else Points.SOBOL
    goal = None
    try:
        goal = read_goal(figure, model.line(figure.line), args.get("goal", ""))
    except (InvalidValue, InvalidModel) as wrong:
        faults["goal"] = getattr(wrong, "sentence", str(wrong))
    usual_persistence = persistence if rhythm is not Redrawn.ONCE else 0.0
    own = _usual(view, shape, held, rhythm, usual_persistence, faults)
    wanted = set(args.getlist("spread")) or {spread.name for spread in own}
    kept = [spread for spread in own if spread.name in wanted]
    contracts = args.get("contracts") == "yes"
    if contracts:
        kept += hoped_for(view.snapshot.plan, model.changes_of(view.address.case))
    draws, seed, turn = (args.get(key, "") for key in ("draws", "seed", "drawing"))
    count = int(draws) if draws in [str(each) for each in DRAWS] else USUAL_DRAWS
    if points is Points.LATIN and count > MOST_LATIN:
        faults["points"] = f"A Latin hypercube has at most {MOST_LATIN:,} draws; these are Sobol points."
        points = Points.SOBOL
    sense = args.get("sense", "")
    lines = {line.name for line in model.lines if not line.dimensions}
    fan = args.get("fan", "")
    return ChanceAsked(
        figure=figure,
        fan=fan if fan in lines else CASH if CASH in lines else figure.line,
        shape=shape,
        held=held,
        held_text=args.get("held", "80"),
        rhythm=rhythm,
        persistence=persistence,
        persistence_text=args.get("persistence", "60"),
        draws=count,
        seed=min(int(seed), MOST_SEED) if seed.isdecimal() and len(seed) < 12 else 1,
        points=points,
        interest=interest,
        interest_text=args.get("interest", "0"),
        contracts=contracts,
        by_weights=args.get("by_weights") == "yes",
        sense=sense if sense in SENSES else SENSES[1 if figure.reduction.gives_month else 0],
        goal=goal,
        goal_text=args.get("goal", ""),
        choices=tuple(
            (s.name, spread_label(model, s.name), range_of(model, s.name), s.name in wanted) for s in own
        ),
        usual=tuple(own),
        spreads=tuple(kept),
        faults=faults,
        turn=int(turn) if turn.isdecimal() and len(turn) < 7 else 0,
    )  # fmt: skip


def spread_label(model: Model, name: str) -> str:
    """Return what a spread is called: the line's label, with its members."""
    line, _, members = name.partition(" ")
    label = model.line(line).label if line in model.line_by_name else name
    return f"{label}, {members}" if members else label


def range_of(model: Model, name: str) -> str:
    """Return the range a spread's line or member is drawn from, as it is typed: its own, or what its spread says."""
    line = model.line(name.split(" ")[0])
    setting = next((each for each in model.spreads if each.name == name), None)
    plausible = setting.plausible if setting is not None and setting.plausible is not None else line.plausible
    return range_words(plausible, line.unit)


def _usual(
    view: View, shape: Shape, held: float, rhythm: Redrawn, persistence: float, faults: dict[str, str]
) -> list[Spread]:
    """The spreads of all ranges; of a shape that does not fit one of them, the usual shape for all, and it is said.

    What the model says of a line and does not fit its range any more is left out, and that is said, too.
    """
    plan, own = view.snapshot.plan, {setting.name for setting in view.snapshot.model.spreads}

    def drawn_as(shape: Shape) -> tuple[list[Spread], dict[str, str]]:
        wrong: dict[str, str] = {}
        found = usual_spreads(
            plan, (), shape, held, rhythm, persistence, refused=lambda name, fault: wrong.update({name: fault.sentence})
        )
        return list(found), wrong

    found, wrong = drawn_as(shape)
    misfits = [name for name in wrong if name not in own]
    if misfits:
        faults["shape"] = wrong[misfits[0]]
        found, wrong = drawn_as(Shape.TRIANGULAR)
    for name, sentence in wrong.items():
        faults[f"spread {name}"] = f"{sentence} It is not drawn until then."
    return found


def _share(text: str, field: str, faults: dict[str, str], usual: float) -> float:
    try:
        return read_number(text.strip().removesuffix("%")) / 100
    except InvalidValue as wrong:
        faults[field] = wrong.sentence
        return usual
