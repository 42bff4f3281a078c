"""Small bundles that go along with the report of their run. They never count as copies."""

from __future__ import annotations

import logging

from ...channels.mail_message import Attachment
from ...core.errors import FasciculusError
from ...core.subject import Subject
from ...models import Task
from ...records.jobs import jobs
from ...records.runs import maintenance, runs
from .. import outside
from ..stores.store_work import read_pieces
from ..tasks.orders.connections import OrderInputs, store_order

log = logging.getLogger(__name__)


def attachments(sources: OrderInputs, run_id: int) -> list[Attachment]:
    """Return the pieces of a run's bundles, as far as the job wants them and they are small enough.

    Pieces are attached as stored: sealed pieces stay sealed in the message.
    """
    run = runs.run(sources.db, run_id)
    job = jobs.find(sources.db, run.job)
    left = job.attach_up_to if job is not None else 0
    found: list[Attachment] = []
    for task in run.tasks:
        if left <= 0 or not task.bundle:
            continue
        try:
            more = _of_task(sources, task, left)
        except (FasciculusError, OSError) as error:
            log.warning("run %s: %s is not attached: %s", run_id, task.bundle, error)
            continue
        found += more
        left -= sum(len(row.data) for row in more)
    return found


def _of_task(sources: OrderInputs, task: Task, most: int) -> list[Attachment]:
    subject = Subject.of(task.subject_kind, task.subject)
    for copy in task.copies:
        if copy.error:
            continue
        known = maintenance.copies_on(sources.db, copy.store, subject, task.bundle)
        pieces = known[0].manifest.pieces if known else []
        if not pieces or sum(piece.bytes for piece in pieces) > most:
            return []
        order = store_order(sources, copy.store)
        read = outside.call(read_pieces, order, subject, pieces)
        return [
            Attachment(f"{subject.name}.{piece.name}", data)
            for piece, data in zip(pieces, read, strict=True)
        ]
    return []
