"""Print what random draws of the assumptions say."""

import re
import sys
from collections.abc import Iterator
from concurrent.futures import Executor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import click
import numpy as np

from widefork.cli.models import (
    case_option,
    format_option,
    in_one_sentence,
    model_argument,
    print_table,
    read_plan,
    shown_figure,
)
from widefork.core.analysis.chance import (
    FAN,
    USUAL_SHARE,
    Applied,
    Chance,
    Points,
    Progress,
    Redrawn,
    Shape,
    Spread,
    SpreadSetting,
    correlations_of,
    hoped_for,
    lay_out,
    run_chance,
    sobol_indices,
    usual_spreads,
)
from widefork.core.analysis.grid import named_line
from widefork.core.axes import Month
from widefork.core.engine import warm_up
from widefork.core.errors import InvalidValue
from widefork.core.figures import Figure
from widefork.core.graph.plan import Plan
from widefork.core.look import PlausibleRange

SPREADS = """A spread is written “LINE [at MEMBER, ...] SHAPE LOW to HIGH [likely X] [as factor | addition | value]
[by year | by month] [persisting 0.6]”, with percentages of what is assumed or amounts in the line's unit: “kit_price
pert -8 % to +5 %”, “rent uniform 6500 to 7600 as value by year”."""
_NUMBER = r"[+-]?\d+(?:\.\d+)?"
_SPREAD = re.compile(
    rf"(?P<line>[^\W\d]\w*(?: at .+)?) (?P<shape>{'|'.join(Shape)})"
    rf" (?P<low>{_NUMBER})(?P<share> ?%)? to (?P<high>{_NUMBER})(?: ?%)?(?: likely (?P<likely>{_NUMBER})(?: ?%)?)?"
    r"(?: as (?P<applied>factor|addition|value))?(?: by (?P<rhythm>year|month))?"
    r"(?: persisting (?P<persistence>[\d.]+))?"
)
_CORRELATION = re.compile(rf"(?P<one>[^\W\d]\w*) (?P<other>[^\W\d]\w*) (?P<rho>{_NUMBER})")
_GOAL = re.compile(rf"(?P<figure>\w+) (?P<sense>at least|at most) (?P<goal>\d{{4}}-\d{{1,2}}|{_NUMBER})")


@click.command(epilog=SPREADS)
@model_argument
@click.option("--figure", "figures", multiple=True, required=True, help="A figure stored in the model.")
@click.option("--fan", "fans", multiple=True, help="A line whose months are spread out, by quantile.")
@click.option("--spread", "spreads", multiple=True, help="A spread of its own, in place of the plausible range's.")
@click.option("--only", is_flag=True, help="Nothing but the spreads given; else every assumption with a range.")
@click.option(
    "--shape",
    type=click.Choice([each.value for each in Shape]),
    default="triangular",
    show_default=True,
    help="Of ranges.",
)
@click.option("--held", default=USUAL_SHARE * 100, show_default=True, help="Per cent a range holds.")
@click.option("--correlate", "pairs", multiple=True, help="Like “kit_price kits_ordered -0.4”.")
@click.option("--contracts", is_flag=True, help="Hoped-for contracts come or not, by their probability.")
@click.option("--by-weights", is_flag=True, help="Draw the case, too, by the weights of the cases.")
@click.option("--goal", "goals", multiple=True, help="Like “ebitda_2027 at least 200000”: how likely it is.")
@click.option("--rate", default=0.0, help="Per cent a year on money that covers what a draw is short of.")
@click.option("--indices", is_flag=True, help="Also each one's share of the variance, with its error.")
@click.option("--draws", default=2048, show_default=True, help="A power of two, 256 to 1,048,576.")
@click.option("--seed", default=1, show_default=True, help="The same draws the same.")
@click.option(
    "--points",
    type=click.Choice([each.value for each in Points]),
    default="sobol",
    show_default=True,
    help="How they are spread.",
)
@click.option("--cluster", help="Address of a Dask scheduler, as tcp://127.0.0.1:8786, whose workers draw.")
@case_option
@format_option
@in_one_sentence
def chance(
    model: Path,
    figures: tuple[str, ...],
    fans: tuple[str, ...],
    spreads: tuple[str, ...],
    only: bool,
    shape: str,
    held: float,
    pairs: tuple[str, ...],
    contracts: bool,
    by_weights: bool,
    goals: tuple[str, ...],
    rate: float,
    indices: bool,
    draws: int,
    seed: int,
    points: str,
    cluster: str | None,
    case: str | None,
    form: str,
) -> None:
    """Draw the assumptions at random and print how figures are spread, how likely goals are, and what drives them."""
    plan = read_plan(model)
    name = plan.model.case(case).name if case else plan.model.cases[0].name
    own = [_spread(plan, text, held / 100) for text in spreads]
    names = {setting.name for setting in own}
    found_ones = usual_spreads(plan, shape=Shape(shape), held=held / 100, said=own)
    given = [spread for spread in found_ones if not only or spread.name in names]
    given += hoped_for(plan, plan.model.changes_of(name)) if contracts else []
    asked = [plan.model.figure(figure) for figure in figures]
    wanted = [_goal(plan, text, figures) for text in goals]
    layout = lay_out(plan, name, given, _correlations(plan, given, pairs), by_weights)
    if layout.is_repaired:
        click.echo("The correlations contradict each other; the nearest that can be were taken.", err=True)
    warm_up()
    with _cluster(cluster) as executor:
        found = run_chance(plan, layout, asked, fans, draws, seed, Points(points), rate / 100, executor, told=_told)
    rows = list(_rows(found, wanted))
    if indices:
        for figure in asked:
            for index in sobol_indices(plan, layout, figure, seed=seed):
                rows.append([figure.name, f"variance by {index.name}, itself", index.first, index.first_error])
                rows.append([figure.name, f"variance by {index.name}, in all", index.total, index.total_error])
    print_table(["of", "what", "value", "standard error"], rows, form)


def _rows(found: Chance, goals: list[tuple[int, float, bool, str]]) -> Iterator[list[object]]:
    for place in range(len(found.sweep.figures)):
        yield from _figure_rows(found, place)
    for place, goal, is_at_least, words in goals:
        known = found.reaching(place, goal, is_at_least)
        yield [found.figure(place).name, f"chance of {words}", known.value, known.error]
    if found.under.size:
        yield from _money_rows(found)
    for name, held in found.kept_always.items():
        yield [name, "chance of being kept on all dates", held, ""]
    for fan in found.fans.values():
        for share, months in zip(FAN, fan.quantiles, strict=True):
            for month, value in zip(fan.months, months, strict=True):
                yield [fan.line, f"P{share * 100:.0f} {month}", float(value), ""]


def _figure_rows(found: Chance, place: int) -> Iterator[list[object]]:
    figure = found.figure(place)
    for share in FAN:
        known = found.quantile(place, share)
        yield [figure.name, f"P{share * 100:.0f}", _shown(figure, known.value), known.error]
    if not figure.reduction.gives_month:
        mean = found.mean(place)
        yield [figure.name, "mean", mean.value, mean.error]
    missing = found.without_answer(place)
    if missing:
        yield [figure.name, "share without an answer", missing, ""]
    for driver in found.driven_by(place)[:10]:
        if np.isfinite(driver.correlation):
            yield [figure.name, f"rank correlation with {driver.name}", driver.correlation, ""]


def _money_rows(found: Chance) -> Iterator[list[object]]:
    under = found.under_at_all()
    yield ["money", "chance of being short at all", under.value, under.error]
    for month, share in zip(found.months, found.under, strict=True):
        yield ["money", f"chance of being short in {month}", float(share), ""]
    for share in (0.9, 0.95, 0.99):
        known = found.money_needed(share)
        yield ["money", f"needed to be safe at {share * 100:.0f} %", known.value, known.error]


def _shown(figure: Figure, value: float) -> object:
    return shown_figure(figure, value if np.isfinite(value) else float("nan"))


def _spread(plan: Plan, text: str, held: float) -> SpreadSetting:
    found = _SPREAD.fullmatch(" ".join(text.split()))
    if found is None:
        raise InvalidValue(f"A spread is written like “kit_price pert -8 % to +5 %”; “{text}” is not.")
    scale = 0.01 if found["share"] else 1.0
    low, high = float(found["low"]) * scale, float(found["high"]) * scale
    if low > high:
        raise InvalidValue(f"A range goes from the lower to the higher amount; got “{text}”.")
    middle = min(max(0.0, low), high) if found["share"] else (low + high) / 2
    likely = float(found["likely"]) * scale if found["likely"] else middle
    plausible = PlausibleRange(low, likely, high, bool(found["share"]))
    rhythm = Redrawn(found["rhythm"]) if found["rhythm"] else Redrawn.ONCE
    line, members = named_line(plan.model, found["line"])
    applied = Applied(found["applied"]) if found["applied"] else Applied.USUAL
    ways = (Shape(found["shape"]), held, rhythm, float(found["persistence"] or 0))
    return SpreadSetting(line, *ways, plausible, applied, members)


def _correlations(plan: Plan, spreads: list[Spread], pairs: tuple[str, ...]) -> np.ndarray | None:
    if not pairs:
        return correlations_of(plan, spreads)
    names = [spread.name for spread in spreads]
    matrix = np.eye(len(names))
    for text in pairs:
        found = _CORRELATION.fullmatch(" ".join(text.split()))
        if found is None or found["one"] == found["other"]:
            raise InvalidValue(f"A correlation is written like “kit_price kits_ordered -0.4”; “{text}” is not.")
        for name in (found["one"], found["other"]):
            if name not in names:
                raise InvalidValue(f"{name} is not spread, so nothing goes together with it; give it a spread first.")
        one, other = names.index(found["one"]), names.index(found["other"])
        matrix[one, other] = matrix[other, one] = float(found["rho"])
    return matrix


def _goal(plan: Plan, text: str, figures: tuple[str, ...]) -> tuple[int, float, bool, str]:
    found = _GOAL.fullmatch(" ".join(text.split()))
    if found is None or found["figure"] not in figures:
        raise InvalidValue(f"A goal is of a figure asked for, like “{figures[0]} at least 0”; “{text}” is not.")
    figure = plan.model.figure(found["figure"])
    is_month = "-" in found["goal"][1:]
    if is_month != figure.reduction.gives_month:
        raise InvalidValue(
            f"{figure.label} is compared with {'a month like 2027-06' if not is_month else 'an amount'}."
        )
    goal = float(Month.parse(found["goal"]).ordinal) if is_month else float(found["goal"])
    return figures.index(figure.name), goal, found["sense"] == "at least", f"{found['sense']} {found['goal']}"


@contextmanager
def _cluster(address: str | None) -> Iterator[Executor | None]:
    """The workers of a cluster; None where there is none to use."""
    if address is None:
        yield None
        return
    try:
        from distributed import Client  # only with pip install widefork[cluster]
    except ImportError:
        raise InvalidValue(
            "Drawing on a cluster needs more than is installed: pip install widefork[cluster]."
        ) from None
    try:
        client: Any = Client(address, timeout=10)  # type: ignore[no-untyped-call]
    except (OSError, ValueError) as fault:
        raise InvalidValue(f"No scheduler answers at {address}: {fault}.") from fault
    with client:
        yield client.get_executor()


def _told(progress: Progress) -> bool:
    """Say on a terminal how far it is."""
    if sys.stderr.isatty():
        click.echo(f"\r{progress.done:,} of {progress.count:,} draws", nl=progress.done == progress.count, err=True)
    return True
