"""Hooks on the host: commands before and after a task, and the hold page."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from ..contracts.orders import CommandOrder
from ..core.errors import FasciculusError
from ..hosts.base import HostConnection
from .emitter import Emitter

_SHOWN = 2000


class TaskHooks:
    """Runs an order's commands and keeps its hold flags."""

    def __init__(
        self,
        commands: list[CommandOrder],
        flags: list[str],
        host: HostConnection,
        emitter: Emitter,
    ) -> None:
        self._commands, self._flags, self._host, self._emitter = commands, flags, host, emitter

    @contextmanager
    def task(self) -> Iterator[None]:
        """Before, and whatever comes, after. Raises ``FasciculusError`` when a ``before`` stops the
        task.
        """
        good = False
        try:
            for path in self._flags:
                self._host.write(path, b"")
                self._emitter.info(f"hold page: {path} is set")
            for command in self._commands:
                if command.when == "before" and not self._run(command) and command.stops:
                    raise FasciculusError(
                        f"The command before the task failed: {command.command}",
                        "Correct it, or let the task continue without it.",
                    )
            yield
            good = True
        finally:
            self.finish(good)

    def finish(self, good: bool) -> None:
        """Remove the hold page, and run the commands for afterwards."""
        release(self._host, self._flags, self._emitter)
        after = "after_success" if good else "after_failure"
        for command in self._commands:
            if command.when in (after, "always"):
                self._run(command)

    def _run(self, command: CommandOrder) -> bool:
        """Run one command and log what it says; False when it failed."""
        when = command.when.replace("_", " ")
        try:
            ran = self._host.run(command.command, command.seconds)
        except (FasciculusError, OSError) as error:
            self._emitter.warn(f"{when}: {command.command} could not be run: {error}")
            return False
        text = ran.output.decode("utf-8", "replace").strip()
        for line in text[:_SHOWN].splitlines():
            self._emitter.info(f"{when}: {line}")
        if ran.code is None:
            self._emitter.warn(
                f"{when}: {command.command} was not done after {command.seconds} s and was ended"
            )
        elif ran.code:
            self._emitter.warn(f"{when}: {command.command} ended with code {ran.code}")
        return ran.code == 0


def release(host: HostConnection, flags: list[str], emitter: Emitter) -> None:
    """Take hold pages away."""
    for path in flags:
        try:
            host.remove(path)
            emitter.info(f"hold page: {path} is taken away")
        except (FasciculusError, OSError) as error:
            emitter.warn(f"hold page: {path} could not be taken away ({error}); remove it by hand")
