"""Trends: a series and its forecast, tested, and into the plan."""
