"""``widefork forecast``: what comes next in a table's series, with what such forecasts were off by."""

from collections.abc import Iterator, Mapping, Sequence
from pathlib import Path

import click
import numpy as np

from widefork.cli.models import format_option, in_one_sentence, print_table
from widefork.core.analysis.trends import (
    BEST,
    COMBINED,
    METHODS,
    AddUp,
    Driver,
    Family,
    Forecast,
    Series,
    Settings,
    added_up,
    explain,
    family_of,
    forecast_many,
    taken_steps,
)
from widefork.core.axes import Month
from widefork.core.errors import InvalidValue, UnknownName, WideforkError
from widefork.core.history import Doubled, Gaps, Step, StepKind
from widefork.files.history import HistoryTable, read_history, read_period
from widefork.files.tables import read_table
from widefork.web.shared.workers import workers

MOST_ROWS, MOST_COLUMNS = 200_000, 1500


@click.command()
@click.argument("file", type=click.Path(exists=True, dir_okay=False, path_type=Path))
@click.option("--horizon", default=12, show_default=True, help="Periods ahead.")
@click.option("--level", "levels", multiple=True, type=float, default=(80.0, 95.0), show_default=True, help="Per cent.")
@click.option("--by", multiple=True, help="A column whose members are told apart; the rest is summed up.")
@click.option("--since", help="The first period that counts, like 2024-01 or 2024-Q1.")
@click.option("--leave-out", "left_out", multiple=True, help="A period that will not come again, like 2024-09.")
@click.option("--level-since", "levels_since", multiple=True, help="A period from which on the level is another.")
@click.option("--season", default=0, help="Its length in periods, 1 for none; found where it is left out.")
@click.option(
    "--method",
    type=click.Choice([BEST, COMBINED, *(method.name for method in METHODS)]),
    default=BEST,
    show_default=True,
    help="Whichever tests best, the mean of the best, or one.",
)
@click.option("--without", multiple=True, help="A method that is not tried.")
@click.option(
    "--gaps", type=click.Choice([each.value for each in Gaps]), default="interpolate", show_default=True,
    help="How unknown periods are filled.",
)  # fmt: skip
@click.option(
    "--doubled", type=click.Choice([each.value for each in Doubled]), default="sum", show_default=True,
    help="What is taken of a period that stands twice.",
)  # fmt: skip
@click.option(
    "--non-negative/--any-sign", default=None, help="Nothing below 0, or anything; so where nothing known is below 0."
)
@click.option("--whole", is_flag=True, help="Whole numbers.")
@click.option("--growth", type=float, help="At most so many per cent up or down on a year before.")
@click.option(
    "--totals",
    type=click.Choice([each.value for each in AddUp]),
    help="Totals, too; who gives way so that they add up.",
)
@click.option(
    "--drivers", "drivers_file", type=click.Path(exists=True, dir_okay=False, path_type=Path),
    help="A table of what drives them, with what is known ahead.",
)  # fmt: skip
@click.option("--lag", "lags", multiple=True, help="A driver and the periods later in which it is felt: price=2.")
@click.option("--accuracy", is_flag=True, help="Then also the back-test of every method.")
@format_option
@in_one_sentence
def forecast(
    file: Path,
    horizon: int,
    levels: tuple[float, ...],
    by: tuple[str, ...],
    since: str | None,
    left_out: tuple[str, ...],
    levels_since: tuple[str, ...],
    season: int,
    method: str,
    without: tuple[str, ...],
    gaps: str,
    doubled: str,
    non_negative: bool | None,
    whole: bool,
    growth: float | None,
    totals: str | None,
    drivers_file: Path | None,
    lags: tuple[str, ...],
    accuracy: bool,
    form: str,
) -> None:
    """Forecast the series of a table of months, quarters or years, long or wide, and print what comes next."""
    settings = Settings(
        horizon, season, method, tuple(level / 100 for level in levels), Gaps(gaps), non_negative, whole,
        None if growth is None else growth / 100, without,
    )  # fmt: skip
    history = read_history(
        read_table(file.name, file.read_bytes(), MOST_ROWS, MOST_COLUMNS), Doubled(doubled), by or None
    )
    for note in history.notes:
        click.echo(note, err=True)
    steps = [
        *(Step(StepKind.LEVEL, _month(text)) for text in levels_since),
        *(Step(StepKind.LEAVE_OUT, _month(text)) for text in left_out),
        *([Step(StepKind.SINCE, _month(since))] if since else []),
    ]
    series = {name: _stepped(each, steps) for name, each in history.series.items()}
    family = family_of(series, history.members) if totals else None
    if drivers_file is not None:
        if totals:
            raise InvalidValue("Totals are of series by themselves; leave out the drivers, or the totals.")
        told = _drivers(drivers_file, history, lags)
        found = _explained(series, told, settings)
    else:
        found = _forecasts(family.series if family else list(series.values()), settings)
    if family is not None and totals:
        found = _totalled(family, found, AddUp(totals))
    if not found:
        raise InvalidValue("No series could be forecast; each says why above.")
    shown = [f"{level:g}" for level in levels]
    ends = [f"{end}_{level}" for level in shown for end in ("low", "high")]
    print_table(["series", "period", "forecast", *ends, "method"], _rows(found), form)
    if accuracy:
        click.echo()
        measures = ["mase", "smape", "mape", "rmse", "bias", "off", "tests"]
        inside = [f"inside_{level}" for level in shown]
        print_table(["series", "method", "taken", *measures, *inside], _tests(found), form)


def _month(text: str) -> Month:
    period = read_period(text)
    if period is None:
        raise InvalidValue(f"A period is written like 2024-09, 2024-Q3 or 2024; “{text}” is none.")
    return period.month


def _stepped(series: Series, steps: Sequence[Step]) -> Series:
    """A series after its steps, each said beside; one that cannot be taken on it says why, and the others are."""
    for step in steps:
        try:
            (done,) = taken_steps(series, [step])
        except WideforkError as fault:
            click.echo(str(fault), err=True)
            continue
        series = done.series
        click.echo(f"{series.name}: {done.words}", err=True)
    return series


def _drivers(file: Path, history: HistoryTable, lags: tuple[str, ...]) -> dict[str, list[Driver]]:
    """The drivers of each series: those of all, and those of the members it is of."""
    drivers = read_history(read_table(file.name, file.read_bytes(), MOST_ROWS, MOST_COLUMNS), Doubled.MEAN)
    for note in drivers.notes:
        click.echo(f"{file.name}: {note}", err=True)
    felt = {}
    for text in lags:
        name, is_said, count = text.partition("=")
        if not is_said or not count.strip().isdecimal():
            raise InvalidValue(f"A lag is written like price=2; “{text}” is not.")
        felt[name.strip().casefold()] = int(count)
    called, of = {}, {}
    for name in drivers.series:  # where periods stand across, the last word names the driver
        words, measure = [member for _, member in drivers.members[name]], drivers.measures[name]
        called[name] = measure or (words.pop() if words else name)
        of[name] = {word.casefold() for word in words}
    unknown = sorted(set(felt) - {each.casefold() for each in called.values()})
    if unknown:
        raise UnknownName("driver", unknown[0], sorted(set(called.values())))
    found: dict[str, list[Driver]] = {}
    for name in history.series:
        own = {member.casefold() for _, member in history.members[name]}
        found[name] = [
            Driver(called[driver], each, felt.get(called[driver].casefold(), 0))
            for driver, each in drivers.series.items()
            if of[driver] <= own
        ]
    return found


def _explained(
    series: Mapping[str, Series], drivers: Mapping[str, Sequence[Driver]], settings: Settings
) -> list[Forecast]:
    """Forecasts with drivers where they gain; what each does, and what they gain, is said beside."""
    found = []
    for name, each in series.items():
        try:
            explained = explain(each, drivers[name], settings)
        except WideforkError as fault:
            click.echo(f"{name}: {fault}", err=True)
            continue
        found.append(explained.forecast)
        for effect in explained.effects:
            if effect.is_elastic:
                said = f"1 % more {effect.driver}: {effect.amount:+.2f} % (± {effect.error:.2f})"
            elif explained.in_logs:
                said = f"1 more {effect.driver}: {effect.amount * 100:+.3g} % (± {effect.error * 100:.2g})"
            else:
                said = f"1 more {effect.driver}: {effect.amount:+.4g} (± {effect.error:.2g})"
            click.echo(f"{name}: {said}.", err=True)
        gain = explained.gain
        told = f"save {gain * 100:.0f} % of the error on the same tests" if gain > 0 else "save nothing; they are left"
        click.echo(f"{name}: drivers, were they known, {told}.", err=True)
        for note in (*explained.alone.notes, *explained.notes):
            click.echo(f"{name}: {note}", err=True)
    return found


def _totalled(family: Family, base: list[Forecast], way: AddUp) -> list[Forecast]:
    """Forecasts that add up; what that changed of each is said beside."""
    if len(base) < len(family.series):
        raise InvalidValue("What could not be forecast cannot be summed up; leave it out of the table, or the totals.")
    found = added_up(family, base, way)
    for before, after in zip(base, found, strict=True):
        gap, size = float((after.amounts - before.amounts).sum()), float(abs(before.amounts).sum())
        share = gap / size * 100 if size else 0.0
        click.echo(f"{after.series.name}: {share:+.1f} % by adding up, {way.value}.", err=True)
    return list(found)


def _forecasts(series: Sequence[Series], settings: Settings) -> list[Forecast]:
    found = []
    with workers(len(series)) as executor:
        for each, outcome in forecast_many(series, settings, executor):
            if isinstance(outcome, Forecast):
                found.append(outcome)
                for note in outcome.notes:
                    click.echo(f"{each.name}: {note}", err=True)
            else:
                click.echo(f"{each.name}: {outcome}", err=True)
    return found


def _rows(found: list[Forecast]) -> Iterator[list[object]]:
    for each in found:
        count = len(each.filled)
        for at, amount in enumerate(each.amounts.tolist()):
            ends = [float(end[at]) for band in each.bands for end in (band.low, band.high)]
            yield [each.series.name, each.series.label_at(count + at), amount, *ends, each.method]


def _tests(found: list[Forecast]) -> Iterator[list[object]]:
    for each in found:
        for candidate in each.candidates:
            own = candidate.accuracy
            is_taken = candidate.name == each.method
            inside = [each.coverage[level] if is_taken else float("nan") for level in each.settings.levels]
            measures = [own.mase, own.smape, own.mape, own.rmse, own.bias, own.off]
            tests = int((~np.isnan(each.test.came)).any(axis=1).sum())
            yield [each.series.name, candidate.name, "yes" if is_taken else "", *measures, tests, *inside]
        for name, why in each.refused.items():
            click.echo(f"{each.series.name}: {name} was not tried: it {why}.", err=True)
