"""Running a command on this machine."""

from __future__ import annotations

import os
import signal
import subprocess
import tempfile
from contextlib import suppress

from .base import CommandResult

_CLEAN = {
    "PATH": "/usr/local/sbin:/usr/local/bin:/usr/sbin:/usr/bin:/sbin:/bin",
    "LC_ALL": "C",
    "HOME": "/",
    "SHELL": "/bin/sh",
}


def run(command: str, seconds: float, stdin: bytes, limit: int) -> CommandResult:
    """Return a command's code, None when its time was up, and its output."""
    # Its own group, so that processes started by the command end with it.
    with tempfile.TemporaryFile() as given, tempfile.TemporaryFile() as output:
        given.write(stdin)
        given.seek(0)
        process = subprocess.Popen(
            ["/bin/sh", "-c", command],
            stdin=given,
            stdout=output,
            stderr=subprocess.STDOUT,
            env=_CLEAN,
            cwd="/",
            process_group=0,
        )
        code: int | None
        try:
            code = process.wait(seconds)
        except subprocess.TimeoutExpired:
            code = None
        finally:
            with suppress(ProcessLookupError):
                os.killpg(process.pid, signal.SIGKILL)
            process.wait()
        output.seek(0)
        return CommandResult(code, output.read(limit))
