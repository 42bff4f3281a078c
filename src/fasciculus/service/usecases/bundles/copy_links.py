"""The files of a bundle for another installation, by a link that was made for it."""

from __future__ import annotations

from ....bundles.recorded_copies import RecordedCopies
from ....bundles.stored_files import stored_files
from ....contracts.orders import StoreOrder
from ....core.errors import MissingError
from ....core.subject import Subject
from ....models import CopyFiles, DownloadLink
from ....records.bundles import bundles
from ....stores import open_store
from ....stores.base import connected
from ... import outside
from ...tasks.orders.connections import recorded_copies, store_order
from ..caller import Caller
from .listings import chosen_copy

#: Where the service answers them.
PATH = "/copies/"
#: The most bytes of one answer.
MOST = 4 * 1024 * 1024


def copy_files(caller: Caller, link: DownloadLink) -> CopyFiles:
    """Return the files of the bundle of a link, with their sizes."""
    order, subject, name = _copy(caller, link)
    return CopyFiles(bundle=name, files=outside.call(_listed, order, subject, name))


def copy_part(caller: Caller, link: DownloadLink, path: str, start: int) -> tuple[bytes, int]:
    """Return at most 4 MiB of one of these files, from byte ``start`` on, and the file's size."""
    order, subject, name = _copy(caller, link)
    return outside.call(_part, order, subject, name, path, start)


def _copy(caller: Caller, link: DownloadLink) -> tuple[StoreOrder, Subject, str]:
    bundle = bundles.bundle(caller.reader, link.bundle)
    sources, subject = caller.order_inputs(), Subject.of(bundle.subject_kind, bundle.subject)
    order = store_order(sources, chosen_copy(bundle, link.download.store))
    order.recorded = recorded_copies(sources, order.name, subject, bundle.name)
    return order, subject, bundle.name


# In a separate process (see ``outside.py``) ------------------------------------------


def _listed(order: StoreOrder, subject: Subject, name: str) -> dict[str, int]:
    with connected(open_store(order.spec())) as store:
        return stored_files(
            store, RecordedCopies(order.recorded, subject, order.key), subject, name
        )


def _part(
    order: StoreOrder, subject: Subject, name: str, path: str, start: int
) -> tuple[bytes, int]:
    with connected(open_store(order.spec())) as store:
        recorded = RecordedCopies(order.recorded, subject, order.key)
        size = stored_files(store, recorded, subject, name).get(path)
        if size is None:
            raise MissingError(f"{path} is no file of that bundle.", "Take it from its list.")
        length = max(0, min(MOST, size - start))
        with store.open(path, start, length) as stream:
            return stream.read(length), size
