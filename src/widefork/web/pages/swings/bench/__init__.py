"""The bench: up to eight assumptions under one's hands, with what they do beside them."""

from widefork.web.pages.swings.bench.bench import BenchView, build_bench, read_levers, steps_of, tried_view

__all__ = ["BenchView", "build_bench", "read_levers", "steps_of", "tried_view"]
