"""Forecasts of many series beside a plain loop: all selection anew at every origin, one series after the other."""

import os
import warnings
from concurrent.futures import ProcessPoolExecutor
from multiprocessing import get_context
from time import perf_counter

import numpy as np

from widefork.core.analysis.trends import METHODS, Series, Settings, forecast_many, origins_of
from widefork.core.axes import Month

MONTHS, HORIZON, SEASON = 60, 12, 12
LOOPED, MEASURED, ALL = 2, 24, 200
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
