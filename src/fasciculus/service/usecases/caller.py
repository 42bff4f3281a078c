"""The caller of a use case."""

from __future__ import annotations

import sqlite3
from contextlib import AbstractContextManager
from dataclasses import dataclass

from ...config import Config
from ...core.scope import Scope
from ...records import users
from ...records.db import Records
from ...records.secret_cipher import SecretCipher
from ...records.users import Principal
from ..context import Context
from ..tasks.orders.connections import OrderInputs


@dataclass(frozen=True, slots=True)
class Caller:
    """A signed-in user who asks something of a service: ``service`` are its parts."""

    service: Context
    principal: Principal

    @property
    def name(self) -> str:
        """Return the user's name, as the audit trail shows it."""
        return self.principal.name

    @property
    def scope(self) -> Scope:
        """Return which accounts the user may see."""
        return self.principal.scope

    @property
    def config(self) -> Config:
        """Return the configuration of the service."""
        return self.service.config

    @property
    def records(self) -> Records:
        """Return the records of the service."""
        return self.service.records

    @property
    def reader(self) -> sqlite3.Connection:
        """Return this thread's connection that reads the records."""
        return self.service.records.reader

    @property
    def cipher(self) -> SecretCipher:
        """Return the cipher of the secrets in the records."""
        return self.service.cipher

    def write(self) -> AbstractContextManager[sqlite3.Connection]:
        """Return a transaction of the records, which ends with its block."""
        return self.service.records.write()

    def order_inputs(self) -> OrderInputs:
        """Return the inputs of orders."""
        return OrderInputs(self.config, self.reader, self.cipher)

    def note(self, action: str, about: str) -> None:
        """Write a line of the audit trail; never with secrets."""
        with self.write() as db:
            users.audit(db, self.name, action, about)

    def changed(self, what: str) -> None:
        """Tell the live views that a list should be asked for again."""
        self.service.events.changed(what)
