"""What the address asks of the ranking."""

from collections.abc import Mapping
from dataclasses import dataclass

from werkzeug.datastructures import MultiDict

from widefork.core.analysis.sensitivity import Way
from widefork.core.errors import InvalidModel, InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.model import Model
from widefork.web.shared.formats import read_number
from widefork.web.shared.lever_words import read_goal

USUAL_SHARE = "10"
SENSES = ("at least", "at most")


@dataclass(frozen=True, kw_only=True)
class Asked:
    """The question, with what could not be read of it.

    Parameters
    ----------
    share_text, goal_text : as typed. goal : in the figure's unit; None where none is set. chosen : the key of what is
        moved. faults : (field, sentence). upto : how much of a long ranking has been worked out.
    """

    figure: Figure
    second: Figure | None
    way: Way
    share: float
    share_text: str
    sense: str
    goal: float | None
    goal_text: str
    section: str
    who: str
    is_apart: bool
    together: tuple[tuple[str, ...], ...]
    chosen: str
    shows_all: bool
    upto: int
    faults: Mapping[str, str]

    @property
    def ranking_key(self) -> tuple[object, ...]:
        """What the ranking depends on."""
        return (self.figure, self.second, self.way, self.share, self.is_apart, self.together)


def read_asked(model: Model, args: "MultiDict[str, str]") -> Asked | None:
    """Return what an address asks; what it leaves out takes its usual value. None where there is no figure at all."""
    figures = {figure.name: figure for figure in model.figures}
    figure = figures.get(args.get("figure", ""), next(iter(figures.values()), None))
    if figure is None:
        return None
    faults: dict[str, str] = {}
    share_text, goal_text = args.get("share", USUAL_SHARE), args.get("goal", "")
    share, goal = 0.1, None
    try:
        share = read_number(share_text.strip().removesuffix("%")) / 100
        if not 0 < share <= 1:
            raise InvalidValue(f"The swing is above 0 % and at most 100 %; {share * 100:g} % was given.")
    except InvalidValue as wrong:
        faults["share"], share = wrong.sentence, 0.1
    try:
        goal = read_goal(figure, model.line(figure.line), goal_text)
    except (InvalidValue, InvalidModel) as wrong:
        faults["goal"] = getattr(wrong, "sentence", str(wrong))
    way = args.get("by_way", "")
    upto = args.get("upto", "")
    sense = args.get("sense", "")
    return Asked(
        figure=figure,
        second=figures.get(args.get("second", "")),
        way=Way(way) if way in list(Way) else Way.SHARE,
        share=share,
        share_text=share_text,
        sense=sense if sense in SENSES else SENSES[1 if figure.reduction.gives_month else 0],
        goal=goal,
        goal_text=goal_text,
        section=args.get("section", ""),
        who=args.get("who", ""),
        is_apart=args.get("apart") == "yes",
        together=_groups(model, args.getlist("together")),
        chosen=args.get("line", ""),
        shows_all=args.get("all") == "yes",
        upto=int(upto) if upto.isdecimal() and len(upto) < 6 else 0,
        faults=faults,
    )


def _groups(model: Model, given: list[str]) -> tuple[tuple[str, ...], ...]:
    """Groups of lines that hang together; a line belongs to the first that names it, and unknown ones to none."""
    seen: set[str] = set()
    found = []
    for text in given:
        names = [n for n in dict.fromkeys(text.split("+")) if n in model.line_by_name and n not in seen]
        seen |= set(names)
        if len(names) > 1:
            found.append(tuple(names))
    return tuple(found)
