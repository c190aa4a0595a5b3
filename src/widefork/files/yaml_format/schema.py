"""The shape of a model document as a JSON Schema, built from what the core knows: one truth for checking, for the
reference page and for editors that complete as one types."""

from enum import StrEnum
from functools import cache
from typing import Any

from widefork.core.axes import LONGEST_TIMELINE
from widefork.core.changes import Operation, Status
from widefork.core.figures import Comparison, Reduction
from widefork.core.finance.schedules import SCHEDULES
from widefork.core.finance.statements import LAYOUTS, OPENING_CAPTIONS, ROWS_WITHIN
from widefork.core.goals import Sense
from widefork.core.graph.model import Rhythm
from widefork.core.history import PERIODS_A_YEAR, Gaps, StepKind
from widefork.core.lines import OverMembers, OverTime
from widefork.core.liquidity import DAY_WORDS, MOST_DAYS_UNDER_WAY, USUAL_DAYS_UNDER_WAY
from widefork.core.look import MOST_DECIMALS, Emphasis, Scale, Tint
from widefork.core.rules import RULES
from widefork.core.spreads import Applied, Redrawn, Shape

Schema = dict[str, Any]
FORMAT_VERSION = 1

TEXT: Schema = {"type": "string"}
SOME_TEXT: Schema = {"type": "string", "minLength": 1}
WHOLE: Schema = {"type": "integer"}
YES_OR_NO: Schema = {"type": "boolean"}
ONLY_TRUE: Schema = {"const": True}
MONTH: Schema = {"$ref": "#/$defs/month"}
MONTH_PATTERN = r"^\d{4}-(0?[1-9]|1[0-2])$"
NUMBER: Schema = {"$ref": "#/$defs/number"}
ANYTHING: Schema = {}

AMOUNT: Schema = {"if": {"type": "object"}, "then": {"$ref": "#/$defs/by_month"}, "else": NUMBER}

OPERATION_SHAPES: dict[Operation, tuple[str, Schema]] = {
    Operation.SET: ("The months are this: a number, or how it runs by month.", AMOUNT),
    Operation.ADD: ("This is added to each month.", AMOUNT),
    Operation.SCALE: ("Each month is multiplied by this.", AMOUNT),
    Operation.STOP: ("The months are 0.", ONLY_TRUE),
    Operation.DELAY: ("So many months later.", {"type": "integer", "minimum": 0}),
    Operation.DEFER: ("This share is put off.", NUMBER),
    Operation.WITH_MOVE: ("In a move: it comes as much later as the move starts, in months.", ONLY_TRUE),
}


@cache
def model_schema() -> Schema:
    """Return the JSON Schema of a model document."""
    document = _object(
        {
            "wide_fork": (f"Version of the format: {FORMAT_VERSION}.", {"const": FORMAT_VERSION}),
            "model": ("The model's name.", SOME_TEXT),
            "currency": ("The one currency, as it stands in units (EUR).", SOME_TEXT),
            "timeline": ("The months of the model.", _timeline()),
            "dimensions": (
                "By name: its members, with attributes or without. One named like another dimension maps to it.",
                _by_name({"anyOf": [_list(TEXT), _by_name(_by_name({"type": ["string", "number"]}))]}),
            ),
            "profiles": ("Curves by age in months, by name.", _by_name(_profile())),
            "flags": ("The modeller's own flags and counters, by name; formulas use them.", _by_name(_flag())),
            "sections": ("Chapters of lines, in reading order.", _list(_section())),
            "schedules": (
                "Settings from which lines are generated; further keys are the kind's own.",
                _list(_schedule()),
            ),
            "opening_balances": (
                f"{', '.join(OPENING_CAPTIONS)} at the month before the start.",
                _by_name(NUMBER),
            ),
            "statements": ("How the statements are laid out.", _statements()),
            "limits": ("Covenants, and checks of the modeller's own.", _list(_limit())),
            "liquidity": ("How the Waterline reads cash.", _liquidity()),
            "ranges": ("Plausible ranges of lines that schedules write, by line.", _by_name(_range())),
            "spreads": (
                "How lines are drawn at random, where that is not as usual; a list where members are told apart.",
                _by_name({"anyOf": [_spread(), _list(_spread())]}),
            ),
            "correlations": ("Which drawn lines go together.", _list(_correlation())),
            "not_ours": ("Usual outgoings this company does not have, by label.", _list(TEXT)),
            "units": ("Units spelled or shown otherwise than usual, by their word for many.", _by_name(_unit())),
            "histories": (
                "What happened before the plan and beside it: a series for each line and member, or of something else.",
                _list(_history()),
            ),
            "closings": ("Months closed: what the books said at their end.", _list(_closing())),
            "cases": ("Named futures; the first is the root.", _list(_case(), fewest=1)),
            "moves": ("Named bundles of changes any case can switch on.", _list(_move())),
            "figures": ("Named questions to the model.", _list(_figure())),
            "goals": ("What figures are to be, asked again whenever the plan changes.", _list(_goal())),
        },
        required=("wide_fork", "model", "currency", "timeline", "sections", "cases"),
    )
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": f"Wide Fork model, version {FORMAT_VERSION}",
        **document,
        "$defs": {
            "month": {"type": "string", "pattern": MONTH_PATTERN},
            "number": {"anyOf": [{"type": "number"}, {"type": "string", "pattern": r"^-?\d+(\.\d+)? ?%$"}]},
            "rollup": _rollup(),
            "line": _line(),
            "change": _change(),
            "by_month": _by_month(),
            "switch": _switch(),
            "step": {
                "if": {"required": ["move"]},
                "then": {"$ref": "#/$defs/switch"},
                "else": {"$ref": "#/$defs/change"},
            },
        },
    }


def _object(properties: dict[str, tuple[str, Schema]], required: tuple[str, ...] = (), closed: bool = True) -> Schema:
    shape: Schema = {"type": "object", "required": list(required)} if required else {"type": "object"}
    if closed:
        shape["additionalProperties"] = False
    return shape | {"properties": {key: {"description": words, **kind} for key, (words, kind) in properties.items()}}


def _list(entry: Schema, fewest: int = 0) -> Schema:
    return {"type": "array", "items": entry} | ({"minItems": fewest} if fewest else {})


def _by_name(entry: Schema) -> Schema:
    return {"type": "object", "additionalProperties": entry}


def _one_of(kind: type[StrEnum]) -> Schema:
    return {"enum": [entry.value for entry in kind]}


def _timeline() -> Schema:
    return _object(
        {
            "start": ("The first month, like 2026-01.", MONTH),
            "months": (f"How many months, 1 to {LONGEST_TIMELINE}.", WHOLE),
            "fiscal_year_start": ("Calendar month the fiscal year begins in; 1 when left out.", WHOLE),
            "last_actual": ("The last month of history; none when left out.", MONTH),
        },
        required=("start", "months"),
    )


def _profile() -> Schema:
    return _object(
        {
            "label": ("Display name.", TEXT),
            "values": ("One value per month of age; the last holds on.", _list(NUMBER, fewest=1)),
        },
        required=("values",),
    )


def _flag() -> Schema:
    return _object(
        {
            "label": ("Display name.", TEXT),
            "from": ("First month marked; open when left out.", MONTH),
            "to": ("Last month marked; open when left out.", MONTH),
            "months_of_year": ("Only these calendar months, 1 to 12; all when left out.", _list(WHOLE)),
            "counts": ("Counts the marked months so far, instead of 1 and 0.", YES_OR_NO),
            "note": ("Why.", TEXT),
        }
    )


def _unit() -> Schema:
    return _object(
        {
            "one": ("Its word for one, where that is not the other without its s: box for boxes.", TEXT),
            "decimals": ("How many decimals amounts of it are shown with, 0 to 6.", WHOLE),
        }
    )


def _section() -> Schema:
    return _object(
        {
            "name": ("Lower-case name.", TEXT),
            "label": ("Display name.", TEXT),
            "note": ("A few words beside it.", TEXT),
            "lines": ("Its lines.", _list({"$ref": "#/$defs/line"})),
        },
        required=("name", "label"),
    )


def _schedule() -> Schema:
    shape = _object(
        {
            "kind": (f"{', '.join(SCHEDULES.names)}.", TEXT),
            "name": ("Starts the names of its lines.", TEXT),
            "label": ("Display name.", TEXT),
        },
        required=("kind", "name", "label"),
        closed=False,
    )
    kinds = []
    for schedule in SCHEDULES:
        settings = {s.key: {"description": f"{s.label}: {s.kind.value}".capitalize()} for s in schedule.settings}
        kinds.append({"if": {"properties": {"kind": {"const": schedule.name}}}, "then": {"properties": settings}})
    return shape | {"allOf": kinds}


def _statements() -> Schema:
    row = _object(
        {
            "name": ("Lower-case name; lines post to it.", TEXT),
            "label": ("Display name.", TEXT),
            "within": (f"The caption it stands in: {', '.join(ROWS_WITHIN)}.", TEXT),
        },
        required=("name", "label", "within"),
    )
    return _object(
        {
            "layout": (f"{', '.join(LAYOUTS.names)}.", TEXT),
            "labels": ("Other names for captions.", _by_name(TEXT)),
            "rows": ("Rows of the modeller's own.", _list(row)),
            "order": ("Rows beside one another, where they stand in another order than usual.", _list(TEXT)),
        }
    )


def _limit() -> Schema:
    return _object(
        {
            "name": ("Lower-case name.", TEXT),
            "label": ("Display name.", TEXT),
            "line": ("Any line; a ratio for a covenant.", TEXT),
            "least": ("It must be at least this.", NUMBER),
            "most": ("It must be at most this.", NUMBER),
            "tested": ("On which dates.", _one_of(Rhythm)),
            "from": ("Rhythm from this month on; the first plan month when left out.", MONTH),
            "covenant": ("Agreed with a lender.", YES_OR_NO),
            "note": ("Why.", TEXT),
        },
        required=("name", "label", "line"),
    )


def _liquidity() -> Schema:
    day = {"anyOf": [{"type": "integer", "minimum": 1, "maximum": 31}, {"enum": list(DAY_WORDS)}]}
    words = " or ".join(f"“{word}” ({what})" for word, what in DAY_WORDS.items())
    return _object(
        {
            "lowest_level": ("The lowest level allowed of cash after overdraft; an entry rule.", ANYTHING),
            "days": (f"By receipt or payment, when in the month: a day, {words}.", _by_name(day)),
            "under_way": ("Receivables that are money on its way to the bank, by schedule.", _list(TEXT)),
            "under_way_days": (
                f"On which working day of the next month that arrives; {USUAL_DAYS_UNDER_WAY} where not said.",
                {"type": "integer", "minimum": 1, "maximum": MOST_DAYS_UNDER_WAY},
            ),
        },
        required=(),
    )


def _history() -> Schema:
    known = {"anyOf": [NUMBER, {"type": "null"}]}
    step = _object(
        {
            "do": ("What it does; nothing of what came is lost by it.", _one_of(StepKind)),
            "in": ("A month of the period.", MONTH),
            "by": ("How: a gap or doubled period is filled or taken in one of several ways.", TEXT),
            "note": ("Why, or what happened.", TEXT),
        },
        required=("do", "in"),
    )
    forecast = _object(
        {
            "name": ("Its name among the forecasts of the series.", TEXT),
            "start": ("The first month forecast.", MONTH),
            "amounts": ("One a period.", _list(NUMBER, fewest=1)),
            "low": ("What it is at least, as often as its recipe's level says.", _list(NUMBER)),
            "high": ("What it is at most.", _list(NUMBER)),
            "by": ("The method.", TEXT),
            "known": ("How many known periods it was made from.", {"type": "integer", "minimum": 0}),
            "season": ("The season's length in periods; 1 for none.", {"type": "integer", "minimum": 1}),
            "recipe": ("How it was made, where not as usual.", _recipe()),
        },
        required=("name", "start", "amounts"),
    )
    return _object(
        {
            "line": ("The line, or a name of its own for what no line is for (weather).", TEXT),
            "label": ("Display name of what no line is for.", TEXT),
            "unit": ("Unit of what no line is for.", TEXT),
            "at": ("By dimension, the member it is of; all of the line when left out.", _by_name(TEXT)),
            "start": ("First month of the first period.", MONTH),
            "periods_a_year": ("12 for months, 4 quarters, 2 half-years, 1 years.", {"enum": list(PERIODS_A_YEAR)}),
            "values": ("By period as they came, null where nothing is known.", _list(known, fewest=1)),
            "doubled": ("By period that came more than once, what came.", _by_name(_list(NUMBER))),
            "steps": ("Taken one after the other before it is forecast.", _list(step)),
            "forecasts": ("Kept of it.", _list(forecast)),
            "note": ("Where it is from.", TEXT),
        },
        required=("line", "start", "values"),
    )


def _recipe() -> Schema:
    return _object(
        {
            "method": ("A method by name, best for whichever tests best.", TEXT),
            "amount": ("What a simple way takes: a rate, or a count of periods.", NUMBER),
            "horizon": ("Periods ahead; 0 to the end of the plan.", {"type": "integer", "minimum": 0}),
            "season": ("Periods; 0 to have it found, 1 for none.", {"type": "integer", "minimum": 0}),
            "level": ("What its low and high hold, 0.8 where nothing is said.", NUMBER),
            "gaps": ("How unknown periods are filled.", _one_of(Gaps)),
            "is_non_negative": ("Whether it stays at 0 or above.", {"anyOf": [YES_OR_NO, {"type": "null"}]}),
            "is_whole": ("Whether it is whole numbers.", YES_OR_NO),
            "growth": ("At most this share up or down in a year.", {"anyOf": [NUMBER, {"type": "null"}]}),
            "like": ("The series whose shape is borrowed, for shape_of_another.", TEXT),
            "adding": (
                "Who gives way so that members add up: least, parts or total; nobody if left out.",
                TEXT,
            ),
        }
    )


def _closing() -> Schema:
    return _object(
        {
            "month": ("The month closed.", MONTH),
            "figures": ("By line of a schedule or caption, such as cash: the amount in the books.", _by_name(NUMBER)),
            "ages": ("By receivables or payables: what is open of each month, latest last.", _by_name(_list(NUMBER))),
            "notes": ("By line, why it differs from the plan.", _by_name(TEXT)),
        },
        required=("month",),
    )


def _case() -> Schema:
    return _object(
        {
            "name": ("Lower-case name.", TEXT),
            "label": ("Display name.", TEXT),
            "parent": ("The case it forks from; the root has none.", TEXT),
            "note": ("What it is about.", TEXT),
            "steps": (
                "Its changes and the moves it switches on, in order; the latest has the last word.",
                _list({"$ref": "#/$defs/step"}),
            ),
            "changes": ("The older form of steps: changes alone.", _list({"$ref": "#/$defs/change"})),
            "moves": ("The older form of steps: moves alone, after the changes.", _list({"$ref": "#/$defs/switch"})),
            "drops": ("Inherited steps that do not happen here: moves, and changes that have a name.", _list(TEXT)),
            "weight": ("How probable a future it is, 0 to 1; left out for a choice.", NUMBER),
            "pinned": ("Whether it always has a tine in the fork switcher.", {"type": "boolean"}),
            "archived": ("Laid aside: kept, but neither computed nor shown.", {"type": "boolean"}),
        },
        required=("name", "label"),
    )


def _move() -> Schema:
    return _object(
        {
            "name": ("Lower-case name.", TEXT),
            "label": ("Display name.", TEXT),
            "start": ("The month its changes' dates are counted from.", MONTH),
            "note": ("What it is about.", TEXT),
            "owner": ("Who looks after it.", TEXT),
            "status": ("How far it has come.", _one_of(Status)),
            "one_of": ("Moves with the same words here exclude one another: one is on at a time.", TEXT),
            "aims": ("By figure, what it is to bring to it.", _by_name(NUMBER)),
            "changes": ("Its changes.", _list({"$ref": "#/$defs/change"})),
        },
        required=("name", "label", "start"),
    )


def _figure() -> Schema:
    return _object(
        {
            "name": ("Lower-case name.", TEXT),
            "label": ("Display name.", TEXT),
            "line": ("Any line, captions of the statements included.", TEXT),
            "members": ("One member per dimension of the line; all together when left out.", _list(TEXT)),
            "from": ("First month; open when left out.", MONTH),
            "to": ("Last month; open when left out.", MONTH),
            "find": ("How the months become one answer.", _one_of(Reduction)),
            "when": ("What first_month and month_count ask of a month.", _one_of(Comparison)),
            "threshold": ("What they compare with.", NUMBER),
            "pinned": ("Shown in the watch strip.", YES_OR_NO),
        },
        required=("name", "label", "line", "find"),
    )


def _rollup() -> Schema:
    return _object(
        {
            "time": ("Months to quarters and years.", _one_of(OverTime)),
            "members": ("Members to the whole.", _one_of(OverMembers)),
            "of": ("Numerator and denominator of a ratio.", _list(TEXT, fewest=2) | {"maxItems": 2}),
            "by": ("What weighs it, for weighted.", TEXT),
            "blank_months": (
                "So many first months have no value: it looks back over what came before.",
                {"type": "integer", "minimum": 0},
            ),
        }
    )


def _line() -> Schema:
    numbers = _list(NUMBER)
    known = _list({"anyOf": [NUMBER, {"type": "null"}]})
    return _object(
        {
            "name": ("Lower-case words joined by underscores; used in formulas.", TEXT),
            "label": ("Display name.", TEXT),
            "unit": ("As shown (EUR/kit, % a year, heads); checked through formulas.", TEXT),
            "over": ("Dimensions it is spread over, up to three.", _list(TEXT)),
            "formula": ("What it is calculated from. A line has a formula, a rule or rules.", TEXT),
            "rule": (
                f"How an assumption's months are given: a number, or one rule by its key ({', '.join(RULES.names)}).",
                ANYTHING,
            ),
            "rules": ("A rule for each member, or for members joined by “ / ”.", {"type": "object"}),
            "rollup": ("How it is rolled up; the unit suggests it when left out.", {"$ref": "#/$defs/rollup"}),
            "opening": ("Value of the month before the start, where a formula looks back past it.", NUMBER),
            "history": ("Values of months before the start, latest last.", numbers),
            "actuals": (
                "Values of the first actual months, null where nothing is known; by member where it is spread.",
                {"anyOf": [known, _by_name(known)]},
            ),
            "posts_to": ("Caption of the statements it is part of.", TEXT),
            "note": ("Why this number.", TEXT),
            "absent": ("Combinations of members, joined by “ / ”, that do not exist and are 0.", _list(TEXT)),
            "range": (
                "Low, likely and high its values may plausibly take, or {share: [...]} of what is assumed.",
                _range(),
            ),
            "look": ("How its row is shown.", _look()),
            "fixed": ("It says how something is built, and nobody varies it.", ONLY_TRUE),
            "allow_loop": ("It may need itself in the same month and is then solved there.", ONLY_TRUE),
        },
        required=("name", "label"),
    )


def _goal() -> Schema:
    return _object(
        {
            "name": ("Used once among the goals.", TEXT),
            "figure": ("Name of a figure.", TEXT),
            "is": ("What reaching the target means.", _one_of(Sense)),
            "target": ("In the figure's unit; a month for a figure that is one.", {"anyOf": [NUMBER, MONTH]}),
            "case": ("In which it is to hold.", TEXT),
            "note": ("Why.", TEXT),
        },
        ("name", "figure", "is", "target", "case"),
    )


def _correlation() -> Schema:
    two: Schema = {"type": "array", "items": TEXT, "minItems": 2, "maxItems": 2}
    return _object({"of": ("Two lines.", two), "is": ("How much, from -1 to 1.", NUMBER)}, ("of", "is"))


def _spread() -> Schema:
    return _object(
        {
            "shape": ("What it looks like; triangular where nothing is said.", _one_of(Shape)),
            "held": ("The share of what may happen that its range holds, 0.8 where nothing is said.", NUMBER),
            "drawn": ("Once for the whole plan, anew by fiscal year, or month by month.", _one_of(Redrawn)),
            "persistence": ("Of one period to the next, from 0 to below 1.", NUMBER),
            "range": ("Its range, for members, and for a line that has none itself.", _range()),
            "as": ("As a factor, an addition or a value in place of what is assumed.", _one_of(Applied)),
            "at": ("By dimension, the member it is about; the whole line where nothing is said.", _by_name(TEXT)),
        }
    )


def _range() -> Schema:
    three: Schema = {"type": "array", "items": NUMBER, "minItems": 3, "maxItems": 3}
    return {"anyOf": [three, _object({"share": ("Shares, like -0.1 for 10 % less.", three)}, ("share",))]}


def _look() -> Schema:
    return _object(
        {
            "decimals": ("Decimals of its figures.", {"type": "integer", "minimum": 0, "maximum": MOST_DECIMALS}),
            "scale": ("What its figures are counted in.", _one_of(Scale)),
            "emphasis": ("How strongly it is set.", _one_of(Emphasis)),
            "tint": ("Its ground.", _one_of(Tint)),
            "space_above": ("Whether a gap sets it off.", YES_OR_NO),
        }
    )


def _change() -> Schema:
    operations = {operation.value: OPERATION_SHAPES[operation] for operation in Operation}
    shape = _object(
        {
            "name": ("Lets a case further down drop it.", TEXT),
            "line": ("The line changed; lines of schedules included.", TEXT),
            **operations,
            "catch_up": (
                "Months after the range over which what was put off is caught up.",
                {"type": "integer", "minimum": 1},
            ),
            "strength": ("How much of the change happens, 0 to 1; to 1.5 where it adds or scales.", NUMBER),
            "at": ("By dimension, the members it is about.", _by_name(_list(TEXT))),
            "from": ("First month; open when left out.", MONTH),
            "to": ("Last month; open when left out.", MONTH),
            "why": ("Why.", TEXT),
        },
        required=("line",),
    )
    return shape | {"oneOf": [{"required": [key]} for key in operations]}


def _by_month() -> Schema:
    shape = _object(
        {
            "typed": (
                "Every month, null where it stays as it is.",
                _list({"anyOf": [NUMBER, {"type": "null"}]}, fewest=1),
            ),
            "rule": (f"An entry rule: a number, or one by its key ({', '.join(RULES.names)}).", ANYTHING),
            "since": (
                "The month of the rule that stands in the first month of the change; that month itself, usually.",
                MONTH,
            ),
            "profile": ("A profile, counted from the first month of the change.", TEXT),
            "times": ("What the profile is multiplied by.", NUMBER),
            "age": ("The profile's age in the first month.", {"type": "integer", "minimum": 0}),
        }
    )
    return shape | {"oneOf": [{"required": [key]} for key in ("typed", "rule", "profile")]}


def _switch() -> Schema:
    return _object(
        {
            "move": ("The move's name.", TEXT),
            "start": ("Another start month; its changes shift with it.", MONTH),
            "strength": ("How much of each change happens, 0 to 1.5.", NUMBER),
        },
        required=("move",),
    )
