"""Forecasts of many series beside a plain loop: all selection anew at every origin; and how histories are read."""

import csv
import os
import warnings
from concurrent.futures import ProcessPoolExecutor
from datetime import date
from io import StringIO
from multiprocessing import get_context
from time import perf_counter

import numpy as np

from bench.timing import side_by_side
from widefork.core.analysis.trends import METHODS, Series, Settings, forecast_many, origins_of
from widefork.core.axes import Month
from widefork.files.history import read_history
from widefork.files.tables import read_table

MONTHS, HORIZON, SEASON = 60, 12, 12
LOOPED, MEASURED, ALL, READ = 2, 24, 200, 300
ONE_THREAD = {"OMP_NUM_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}
"""What the processes that forecast inherit: more threads than cores only wait for each other."""


def made_up(number):
    """A series with growth, a season and noise, in months."""
    random, places = np.random.default_rng(number), np.arange(MONTHS)
    shape = (200 + (number % 7) * places) * (1 + 0.25 * np.sin(2 * np.pi * (places + number) / SEASON))
    return Series(f"S{number}", Month(2021, 1), shape * np.exp(random.normal(0, 0.05, MONTHS)))


def plain_loop(series):
    """Every method chosen and estimated anew at every origin: what is written first."""
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        for each in series:
            for origin in origins_of(MONTHS, HORIZON, SEASON):
                known = each.values[:origin]
                for method in METHODS:
                    if method.name != "croston":
                        method.choose(known, SEASON).ahead(known, HORIZON)


def forecasting(_):
    """Seconds a series by a plain loop over ours on two processes; and minutes for two hundred at that rate."""
    start = perf_counter()
    plain_loop([made_up(number) for number in range(LOOPED)])
    looped = (perf_counter() - start) / LOOPED
    before = dict(os.environ)
    os.environ.update(ONE_THREAD)
    with ProcessPoolExecutor(2, get_context("spawn")) as executor:
        list(forecast_many([made_up(number) for number in range(2)], Settings(), executor))  # imported and begun
        start = perf_counter()
        list(forecast_many([made_up(number) for number in range(MEASURED)], Settings(), executor))
        ours = (perf_counter() - start) / MEASURED
    for name in ONE_THREAD.keys() - before.keys():
        del os.environ[name]
    yield f"a forecast of {MONTHS} months, all methods, 14 tests, beside a plain loop", looped / ours, "at least 5"
    yield f"minutes for {ALL} such series on two processes, from {MEASURED}", ours * ALL / 60, "below 3"


def reading_histories(_):
    """A long table of many series, its spellings and marks found out, over one read as it must be known to be."""
    months = [f"{2021 + month // 12}-{month % 12 + 1:02}" for month in range(MONTHS)]
    text = "month,series,value\n" + "".join(
        f"{month},S{number},{value:.2f}\n"
        for number in range(READ)
        for month, value in zip(months, made_up(number).values, strict=True)
    )

    def plainly():
        found = {}
        for month, series, value in list(csv.reader(StringIO(text)))[1:]:
            found.setdefault(series, {})[date.fromisoformat(f"{month}-01")] = float(value)
        assert len(found) == READ

    def ours():
        assert len(read_history(read_table("orders.csv", text.encode(), READ * MONTHS + 1)).series) == READ

    taken = side_by_side(5, plainly=plainly, ours=ours)
    what = f"a table of {READ} series, {MONTHS} months each, beside one read as it must be known to be"
    yield what, taken["ours"] / taken["plainly"], "at most 40"
