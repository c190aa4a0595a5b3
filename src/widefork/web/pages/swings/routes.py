"""Swings over HTTP: the three tabs, what they load by themselves, and what they put into a sketch or the model."""

from flask import Blueprint, Response, make_response, render_template, request

from widefork.core.analysis.grid import line_phrase
from widefork.core.changes import Case
from widefork.core.errors import InvalidValue, WideforkError
from widefork.core.spreads import spread_name
from widefork.store.edits import add_case, remove_spread, set_correlation, set_ranges, set_spread, together
from widefork.web.pages.swings.bench import build_bench, read_levers, steps_of, tried_view
from widefork.web.pages.swings.chance import (
    build_chance,
    build_editor,
    read_chance,
    read_correlation,
    read_drawn,
    read_spread,
    stop_drawing,
    variance_shares,
)
from widefork.web.pages.swings.chance.asked import DRAWS, spread_label
from widefork.web.pages.swings.one import build_one, read_ranges, section_ranges
from widefork.web.pages.swings.one.asked import read_asked
from widefork.web.pages.swings.one.ranking import found_swings
from widefork.web.pages.swings.tabs import tabs_of
from widefork.web.pages.swings.two import TwoAsked, build_small, build_two, found_square, read_two, square_csv
from widefork.web.shared import formats
from widefork.web.shared.context import (
    LONGEST_NAME,
    View,
    back_to,
    change_values,
    make_edit,
    open_view,
    refuse_sketch,
    render_page,
    sentence_of,
    try_in_sketch,
    with_query,
)
from widefork.web.shared.frame import build_frame
from widefork.web.shared.lever_words import amount_words, moved_words
from widefork.web.shared.naming import name_from
from widefork.web.shared.trial import under_trial

TRIED = "Swings: "
"""What begins the sentences of what this page puts into a sketch."""
BLUEPRINT = Blueprint(
    "swings", __name__, template_folder="templates", static_folder="static", static_url_path="/static/pages/swings"
)


@BLUEPRINT.get("/m/<int:model_id>/swings")
def show(model_id: int) -> str:
    """Show one of the tabs for what the address asks."""
    view = open_view(model_id, "swings")
    shown = request.args.get("view", "")
    if shown == "two":
        return _two(view)
    if shown == "bench":
        return _bench(view)
    if shown == "chance":
        return _chance(view)
    base = under_trial(view, TRIED)
    asked = read_asked(base.snapshot.model, request.args)
    one = build_one(base, asked) if asked is not None else None
    figures = base.snapshot.model.figures
    return render_page(view, "swings/page.html", one=one, asked=asked, figures=figures, tabs=tabs_of(view, ""))


def _two(view: View) -> str:
    base = under_trial(view, TRIED)
    asked = read_two(base, request.args, _usual_sides(base))
    two, fault = None, ""
    if asked is not None:
        try:
            square = found_square(base, asked)
            two = build_two(base, asked, square) if square is not None else None
        except WideforkError as refused:
            fault = sentence_of(refused)
    figures = base.snapshot.model.figures
    return render_page(
        view, "swings/two.html", two=two, asked=asked, fault=fault, figures=figures, tabs=tabs_of(view, "two"),
        turned=_turned(view, asked) if asked is not None else "", query=request.query_string.decode(),
    )  # fmt: skip


def _turned(view: View, asked: TwoAsked) -> str:
    across, down = asked.sides
    return view.address.url(across=down.lead, across_span=down.span, down=across.lead, down_span=across.span, cell="")


def _usual_sides(view: View) -> tuple[str, str]:
    """The assumption chosen and the one that moves the figure most beside it."""
    model = view.snapshot.model
    asked = read_asked(model, request.args)
    if asked is None or {"across", "down"} <= request.args.keys():
        return "", ""
    found, _ = found_swings(view, asked)
    order = [swing.line for swing in found.ranked]
    chosen = asked.chosen.partition("@")[0].split("+")[0]
    names = ([chosen] if chosen in order else []) + [name for name in order if name != chosen]
    labels = [line_phrase(model, name) for name in dict.fromkeys(names)]
    return (*labels[:2], "", "")[0], (*labels[:2], "", "")[1]


@BLUEPRINT.get("/m/<int:model_id>/swings/small")
def small(model_id: int) -> str:
    """Show one case's square in small: loaded by itself, as every case is a batch of its own."""
    view, asked = _asked_square(model_id)
    case = view.snapshot.model.case(request.args.get("of", "")).name
    square = found_square(view, asked, case)
    if square is None:
        raise InvalidValue("Both sides of the square need an assumption.")
    return render_template("swings/_small.html", small=build_small(view, asked, square, case))


@BLUEPRINT.get("/m/<int:model_id>/swings/square.csv")
def table(model_id: int) -> Response:
    """Send all places of the square as CSV."""
    view, asked = _asked_square(model_id)
    square = found_square(view, asked)
    if square is None:
        raise InvalidValue("Both sides of the square need an assumption.")
    response = make_response(square_csv(view, square))
    response.headers["Content-Type"] = "text/csv; charset=utf-8"
    response.headers["Content-Disposition"] = 'attachment; filename="two-at-once.csv"'
    return response


def _asked_square(model_id: int) -> tuple[View, TwoAsked]:
    view = under_trial(open_view(model_id, "swings"), TRIED)
    asked = read_two(view, request.args, _usual_sides(view))
    if asked is None:
        raise InvalidValue("There is no figure to look at yet. Add one in Compare.")
    return view, asked


@BLUEPRINT.post("/m/<int:model_id>/swings/cell")
def try_cell(model_id: int) -> Response:
    """Try a place of the square in the person's sketch, instead of the one tried there before."""
    view = open_view(model_id, "swings")
    base = under_trial(view, TRIED)
    asked = read_two(base, request.form, ("", ""))
    square = found_square(base, asked) if asked is not None else None
    cell = asked.cell if asked is not None else None
    if (
        asked is None
        or square is None
        or cell is None
        or not all(0 <= place < size for place, size in zip(cell, square.values.shape, strict=True))
    ):
        raise InvalidValue("That place is not in the square. Reload the page and choose again.")
    two = build_two(base, asked, square)
    try_in_sketch(view, view.address.case, square.steps(*cell), TRIED, two.chosen)
    return with_query(back_to(None), cell=request.form.get("cell", ""))


@BLUEPRINT.post("/m/<int:model_id>/swings/try")
def try_amount(model_id: int) -> Response:
    """Try an amount of what is chosen in the person's sketch, instead of what this page tried there before."""
    view = open_view(model_id, "swings")
    base = under_trial(view, TRIED)
    asked = read_asked(base.snapshot.model, request.form)
    amount = _amount(request.form.get("amount", ""))
    if asked is None:
        raise InvalidValue("There is no figure to look at yet. Add one in Compare.")
    _, trials = found_swings(base, asked)
    found = next((each for each in trials.stretches if each.moved.key == asked.chosen), None)
    if found is None:
        raise InvalidValue("That assumption is no longer in the ranking. Reload the page and choose again.")
    model = base.snapshot.model
    words = f"{moved_words(model, found.moved)} {amount_words(model, found, amount)}"
    try_in_sketch(view, view.address.case, found.changes(amount), TRIED, words)
    return back_to(None)


def _amount(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not abs(value) < formats.TOO_MUCH:
        raise InvalidValue("The amount has got lost on the way. Choose a place on the curve again.")
    return value


@BLUEPRINT.post("/m/<int:model_id>/swings/ranges")
def ranges(model_id: int) -> Response:
    """Give assumptions a plausible range: a section at once, or each its own."""
    view = open_view(model_id, "swings")
    refuse_sketch(view)
    form, model = request.form, view.snapshot.model
    section = form.get("section", "")
    if section:
        names = [line.name for line in model.lines if line.is_assumption]
        given = section_ranges(view, section, _behind(view, names), form.get("percent", ""))
        label = next((s.label for s in model.sections if s.name == section), section)
        count = f"{len(given)} assumption{'' if len(given) == 1 else 's'}"
        percent = form.get("percent", "").strip(" ±%")
        return make_edit(model_id, set_ranges(given, f"{label}: a range of ± {percent} % for {count}"))
    found = read_ranges(view, form.getlist("name"), form.getlist("range"))
    labels = ", ".join(model.line(name).label for name in list(found)[:3])
    more = f" and {len(found) - 3} more" if len(found) > 3 else ""
    said = "its range" if len(found) == 1 else "their ranges"
    return make_edit(model_id, set_ranges(found, f"{labels}{more}: {said}"))


def _behind(view: View, names: list[str]) -> list[str]:
    """The assumptions behind the figure the page is about; all, where it is about none."""
    asked = read_asked(view.snapshot.model, request.form)
    if asked is None:
        return names
    return list(view.snapshot.plan.assumptions_behind(asked.figure.line))


def _bench(view: View) -> str:
    base = under_trial(view, TRIED)
    levers = read_levers(base, *(request.args.getlist(key) for key in ("lever", "typed", "at")))
    usual: tuple[str, ...] = ()
    asked = read_asked(base.snapshot.model, request.args)
    if asked is not None:
        usual = tuple(dict.fromkeys(swing.line for swing in found_swings(base, asked)[0].ranked))
    if not levers and "lever" not in request.args:
        levers = read_levers(base, usual[:4], (), ())
    bench = build_bench(base, levers, usual, request.args.get("drawn", ""))
    return render_page(view, "swings/bench.html", bench=bench, tabs=tabs_of(view, "bench"))


def _chance(view: View) -> str:
    base = under_trial(view, TRIED)
    asked = read_chance(base, request.args)
    chance = build_chance(base, asked) if asked is not None and asked.spreads else None
    editor = build_editor(base, asked) if asked is not None else None
    model = base.snapshot.model
    return render_page(
        view, "swings/chance.html", chance=chance, editor=editor, asked=asked, figures=model.figures, draws=DRAWS,
        lines=[line for line in model.lines if not line.dimensions and line.formula is not None],
        query=request.query_string.decode(), tabs=tabs_of(view, "chance"),
    )  # fmt: skip


@BLUEPRINT.get("/m/<int:model_id>/swings/variance")
def variance(model_id: int) -> str:
    """Show each thing's share of the variance: asked for by itself, as it takes draws of its own."""
    view = under_trial(open_view(model_id, "swings"), TRIED)
    asked = read_chance(view, request.args)
    if asked is None or not asked.spreads:
        raise InvalidValue("Nothing is drawn, so there is no variance to share.")
    try:
        found, fault = variance_shares(view, asked), ""
    except InvalidValue as refused:
        found, fault = (), refused.sentence
    labels = {index.name: spread_label(view.snapshot.model, index.name) for index in found}
    return render_template("swings/_variance.html", found=found, fault=fault, labels=labels)


@BLUEPRINT.post("/m/<int:model_id>/swings/spread")
def spread(model_id: int) -> Response:
    """Say how a line is drawn, or draw it as usual again."""
    view = open_view(model_id, "swings")
    refuse_sketch(view)
    model = view.snapshot.model
    line, members = read_drawn(model, request.form)
    name = spread_name(line.name, members)
    if request.form.get("do") == "usual":
        return make_edit(model_id, remove_spread(name, f"{spread_label(model, name)}: drawn as usual"))
    setting, plausible = read_spread(view, request.form)
    sentence = f"{spread_label(model, name)}: how it is drawn"
    steps = [set_spread(setting, sentence)]
    if plausible is not None and plausible != line.plausible:
        steps.append(set_ranges({line.name: plausible}, sentence))
    return make_edit(model_id, together(steps, sentence))


@BLUEPRINT.post("/m/<int:model_id>/swings/pair")
def pair(model_id: int) -> Response:
    """Say how much two lines go together when they are drawn."""
    view = open_view(model_id, "swings")
    refuse_sketch(view)
    model = view.snapshot.model
    found = read_correlation(model, request.form)
    labels = " and ".join(model.line(name).label for name in (found.one, found.other))
    return make_edit(model_id, set_correlation(found, f"{labels}: go together by {found.coefficient:g}"))


@BLUEPRINT.post("/m/<int:model_id>/swings/stop")
def stop(model_id: int) -> Response:
    """End the draws under way; what was drawn is shown."""
    view = under_trial(open_view(model_id, "swings"), TRIED)
    asked = read_chance(view, request.form)
    if asked is not None:
        stop_drawing(view, asked)
    return back_to(None)


@BLUEPRINT.get("/m/<int:model_id>/swings/tried")
def tried(model_id: int) -> str:
    """Show what the levers do as they are pulled: the chart, and the watched figures before and after."""
    base = under_trial(open_view(model_id, "swings"), TRIED)
    levers = read_levers(base, *(request.args.getlist(key) for key in ("lever", "typed", "at")))
    bench = build_bench(base, levers, (), request.args.get("drawn", ""))
    pulled = tried_view(base, levers)
    frame = build_frame(pulled.snapshot, pulled.before, base.address)
    return render_template("swings/_tried.html", bench=bench, frame=frame, address=base.address)


@BLUEPRINT.post("/m/<int:model_id>/swings/levers")
def keep_levers(model_id: int) -> Response:
    """Keep what the levers are pulled to: in the case, as a case of its own, or in the person's sketch."""
    view = open_view(model_id, "swings")
    base = under_trial(view, TRIED)
    form, model = request.form, base.snapshot.model
    levers = read_levers(base, *(form.getlist(key) for key in ("lever", "typed", "at")))
    steps = steps_of(levers)
    if not steps:
        raise InvalidValue("No lever is pulled: everything stands as it is in the case.")
    case = view.address.case
    said = build_bench(base, levers, (), "").said
    match form.get("do", ""):
        case "sketch":
            try_in_sketch(view, case, steps, TRIED, said)
            return back_to(None)
        case "case":
            refuse_sketch(view)
            label = " ".join(form.get("label", "").split())
            if not label or len(label) > LONGEST_NAME:
                raise InvalidValue(f"Give the case a name of 1 to {LONGEST_NAME} letters.")
            name = name_from(label, {*model.case_by_name, *model.move_by_name})
            fork = Case(name, label, case, steps, note=f"from the bench: {said}"[:400])
            response = make_edit(model_id, add_case(fork, f"{label}: forked from {model.case(case).label}"))
            return with_query(response, case=name, typed="", at="")
    response = change_values(view, case, steps, f"{said} in {model.case(case).label}")
    return with_query(response, typed="", at="")
