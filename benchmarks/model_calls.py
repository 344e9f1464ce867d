"""Calls to a model server beside the ideal: the stand-in with 200 ms latency, 16 requests in flight.

python benchmarks/model_calls.py [CALLS]
"""

from __future__ import annotations

import json
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from aventrik.core.protocols import Task
from aventrik.models.connection import Connection
from aventrik.models.language import HttpLanguageModel
from aventrik.storage import open_store

LATENCY = 0.2
IN_FLIGHT = 16


def main() -> None:
    """Starts a stand-in, asks it, prints one table."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 1000
    command = [sys.executable, "-m", "aventrik", "standin", "--port", "0", "--json", "--latency", str(LATENCY)]
    server = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert server.stdout is not None
        lines = ""
        while not lines.rstrip().endswith("}\n}"):
            lines += server.stdout.readline()
        address = json.loads(lines)["result"]["address"]
        print(f"{count:,} calls, {LATENCY:g} s latency, {IN_FLIGHT} in flight; replies kept in SQLite as they come")
        print(f"{'calls':>8}{'seconds':>10}{'calls/s':>10}{'of ideal':>10}{'peak memory':>14}")
        with tempfile.TemporaryDirectory() as folder:
            store = open_store(Path(folder) / ".aventrik")
            model = HttpLanguageModel(Connection("bench", address, "standin", concurrency=IN_FLIGHT), calls=store.calls)
            for part in range(3):
                size = count
                tasks = [
                    Task("relevance", {"question": f"How long is lock {part}-{n}?", "passage": "It is long. " * 40})
                    for n in range(size)
                ]
                began = time.perf_counter()
                replies = model.perform(tasks)
                seconds = time.perf_counter() - began
                assert all(reply.value for reply in replies)
                rate = size / seconds
                peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
                print(f"{size:>8,}{seconds:>10.2f}{rate:>10.1f}{rate * LATENCY / IN_FLIGHT:>10.0%}{peak:>11,.0f} MB")
            store.close()
    finally:
        server.kill()


if __name__ == "__main__":
    main()
