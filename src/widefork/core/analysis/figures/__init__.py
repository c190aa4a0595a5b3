"""Answers to figures."""

from widefork.core.analysis.figures.answer import Answer, answer, monthly_series, period_of

__all__ = ["Answer", "answer", "monthly_series", "period_of"]
