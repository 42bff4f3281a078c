"""``python -m fasciculus.fleet``: the program behind ``fasciculus worker``."""

from __future__ import annotations

import argparse
import faulthandler
import logging
import os
import shutil
import sys
from pathlib import Path

from ..core.errors import FasciculusError, SettingError
from . import agent, enrolment


def main() -> int:
    """Enrol this machine if a code is given, then be a worker. Return the exit code."""
    given = _arguments()
    # Otherwise a crash of a compiled package would leave no word.
    faulthandler.enable()
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(levelname)s %(message)s")
    logging.getLogger("httpx").setLevel(logging.WARNING)
    home = Path(given.home).absolute()
    try:
        known = enrolment.load(home)
        if given.code_file:
            if known is not None:
                raise SettingError(
                    f"{home} holds the enrolment of worker “{known.name}” already.",
                    "Leave out the code, or use another folder (--home).",
                    field="code_file",
                )
            known = enrolment.enrol(given.service, _code(given.code_file), given.name)
            enrolment.save(home, known)
            print(f"Enrolled as {known.name}, for queue {known.queue}.", flush=True)
        if known is None:
            raise SettingError(
                "This machine is not enrolled.",
                "Make a code (fasciculus workers code QUEUE), and give it with --code-file.",
                field="code_file",
            )
        if given.queue and given.queue != known.queue:
            raise SettingError(
                f"This worker is enrolled for queue “{known.queue}”.",
                "Leave out --queue, or enrol it again.",
                field="queue",
            )
        for area in ("home", "spool"):
            # What a worker that was killed has left.
            shutil.rmtree(home / area, ignore_errors=True)
        refusal = agent.run(known, home, given.slots or os.cpu_count() or 1)
    except FasciculusError as error:
        print(f"fasciculus: {error.sentence()}", file=sys.stderr)
        return 2
    return 1 if refusal else 0


def _code(place: str) -> str:
    try:
        return sys.stdin.readline() if place == "-" else Path(place).read_text("utf-8")
    except OSError as error:
        raise SettingError(
            f"{place} cannot be read: {error.strerror}.", "Name another file.", field="code_file"
        ) from error


def _arguments() -> argparse.Namespace:
    parser = argparse.ArgumentParser(prog="fasciculus worker")
    parser.add_argument("--home", required=True)
    parser.add_argument("--queue", default="")
    parser.add_argument("--service", default="")
    parser.add_argument("--code-file", default="")
    parser.add_argument("--name", default="")
    parser.add_argument("--slots", type=int, default=0)
    return parser.parse_args()


if __name__ == "__main__":
    sys.exit(main())
