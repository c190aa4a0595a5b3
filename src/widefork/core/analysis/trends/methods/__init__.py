"""Methods of forecasting: one file each, one line each in the list below."""

from widefork.core.analysis.trends.methods.arima import ARIMA, Arima, choose_arima
from widefork.core.analysis.trends.methods.borrowed import SHAPE_OF_ANOTHER, Like, borrowing
from widefork.core.analysis.trends.methods.by_hand import BY_HAND, LastYear, MeanOfLast
from widefork.core.analysis.trends.methods.intermittent import INTERMITTENT, Croston
from widefork.core.analysis.trends.methods.line import LINE, LineWithSeason
from widefork.core.analysis.trends.methods.method import Fit, Method
from widefork.core.analysis.trends.methods.simple import DRIFT, MEAN, NAIVE, SEASONAL_NAIVE
from widefork.core.analysis.trends.methods.smoothing import SMOOTHING, Smoothing, choose_smoothing, forms_of
from widefork.core.analysis.trends.methods.theta import THETA, Theta

METHODS: tuple[Method, ...] = (NAIVE, SEASONAL_NAIVE, MEAN, DRIFT, LINE, SMOOTHING, THETA, ARIMA, INTERMITTENT)
METHOD_BY_NAME = {method.name: method for method in METHODS}

__all__ = [
    "BY_HAND", "METHODS", "METHOD_BY_NAME", "SHAPE_OF_ANOTHER", "Arima", "Croston", "Fit", "LastYear", "Like",
    "LineWithSeason", "MeanOfLast", "Method", "Smoothing", "Theta", "borrowing", "choose_arima", "choose_smoothing",
    "forms_of",
]  # fmt: skip
