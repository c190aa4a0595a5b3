"""Measures random draws from a thousand to a million, on threads here and on two workers of a cluster.

Run it with ``python -m bench.scale``; it takes some minutes and prints the rows of docs/scale.md. Each size runs in a
process of its own, so that its memory is its own.
"""

import json
import resource
import subprocess
import sys
from time import perf_counter

from widefork.core.analysis.chance import lay_out, run_chance, usual_spreads
from widefork.core.engine import warm_up
from widefork.core.finance.assemble import build_plan
from widefork.demo import build_demo

DRAWN = 20
FIGURES = ("lowest_cash", "revenue_2027", "ebitda_2027", "break_even", "cash_2027")
SIZES = (2**10, 2**14, 2**17, 2**20)
WORKERS = (0, 1, 2)
"""0 stands for the threads of this process."""


def measure(count, workers):
    """Print what one size takes: seconds, and the most memory of this process in MB."""
    plan = build_plan(build_demo("quillmere"))
    layout = lay_out(plan, "base", usual_spreads(plan)[:DRAWN])
    figures = [plan.model.figure(name) for name in FIGURES]
    warm_up()

    def draw(size, executor):
        run_chance(plan, layout, figures, ["cash_after_overdraft"], size, seed=1, executor=executor)

    def timed(executor):
        draw(2**10, executor)  # compiles, connects, lays out
        start = perf_counter()
        draw(count, executor)
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        print(json.dumps([count, workers, perf_counter() - start, memory]))

    if not workers:
        timed(None)
        return
    from distributed import Client, LocalCluster

    with (
        LocalCluster(n_workers=workers, threads_per_worker=1, dashboard_address=None) as cluster,
        Client(cluster) as hub,
    ):
        timed(hub.get_executor())


def main():
    """Print a row for every size and number of workers."""
    for count in SIZES:
        for workers in WORKERS:
            arguments = [sys.executable, "-m", "bench.scale", str(count), str(workers)]
            found = subprocess.run(arguments, capture_output=True, text=True, check=True).stdout
            _, _, seconds, memory = json.loads(found.splitlines()[-1])
            where = f"{workers} worker{'' if workers == 1 else 's'}" if workers else "threads"
            print(f"| {count:,} | {where} | {seconds:.3g} s | {count / seconds:,.0f} | {memory:,.0f} MB |", flush=True)


if __name__ == "__main__":
    if len(sys.argv) == 3:
        measure(int(sys.argv[1]), int(sys.argv[2]))
    else:
        main()
