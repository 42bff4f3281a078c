"""``python -m bench.soak [tasks]``: many small tasks, and what the service holds meanwhile.

Prints its resident memory and open descriptors after every tenth of the tasks, while lists are
asked for all the time. Both should level off.
"""

from __future__ import annotations

import sys
import tempfile
import threading
from pathlib import Path

from fasciculus.core.contents import Contents
from fasciculus.core.formatting import format_size
from fasciculus.models import JobInput

from .data import accounts
from .night import Night

ACCOUNTS = 250
STEPS = 10


def resident(pid: int) -> int:
    """Resident memory of a process in bytes."""
    text = Path(f"/proc/{pid}/status").read_text()
    return int(text.partition("VmRSS:")[2].split()[0]) * 1024


def descriptors(pid: int) -> int:
    """Return how many files a process has open."""
    return sum(1 for _ in Path(f"/proc/{pid}/fd").iterdir())


def ask(night: Night, over: threading.Event) -> None:
    """Ask for lists as an open console does, until it is over."""
    while not over.wait(0.5):
        night.client.overview()
        night.client.runs_list(limit=50)
        night.client.bundles_list(limit=50)


def main() -> None:
    """Run many tasks, and print what the service has grown by."""
    tasks = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    rounds = max(STEPS, tasks // ACCOUNTS)
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        accounts(folder / "homes", ACCOUNTS, files=2)
        with Night(folder / "service", folder / "homes") as night:
            job = JobInput(
                name="nightly", contents=[Contents.FILES], stores=["attic"], keep="2 newest"
            )
            night.client.jobs_change("nightly", job)
            over = threading.Event()
            asking = threading.Thread(target=ask, args=(night, over), daemon=True)
            asking.start()
            pid = night.process.pid
            for number in range(1, rounds + 1):
                night.run()
                if number % (rounds // STEPS) == 0:
                    print(
                        f"{number * ACCOUNTS:7,} tasks  {format_size(resident(pid)):>10}  "
                        f"{descriptors(pid):4} descriptors",
                        flush=True,
                    )
            over.set()
            asking.join(30)


if __name__ == "__main__":
    main()
