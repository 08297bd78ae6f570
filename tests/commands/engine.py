"""A scheduler and two worker processes on this machine, until standard input ends: tells the scheduler's address, then
the workers' process numbers."""

from __future__ import annotations

import sys

from distributed import LocalCluster

if __name__ == "__main__":
    cluster = LocalCluster(
        n_workers=2, threads_per_worker=1, processes=True, dashboard_address=None, host="127.0.0.1"
    )  # no page next to it
    print(cluster.scheduler_address, *(worker.pid for worker in cluster.workers.values()), flush=True)
    sys.stdin.read()
