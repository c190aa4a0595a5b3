"""Answers to figures."""

from widefork.core.analysis.figures.answer import (
    Answer,
    answer,
    figure_amounts,
    figures_amounts,
    monthly_series,
    period_of,
)

__all__ = ["Answer", "answer", "figure_amounts", "figures_amounts", "monthly_series", "period_of"]
