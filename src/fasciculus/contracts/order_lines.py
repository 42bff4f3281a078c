"""Orders on their way to a worker: one line of JSON each, validated when it is read.

On its way an order holds no local path but in what it says of a host or a store: files are
references (see ``artifacts.py``). It holds no secret in the clear: secrets are sealed to the worker
that takes it.
"""

from __future__ import annotations

import msgspec

from .artifacts import Artifact, Folders, resolved
from .orders import Order
from .sealed_secrets import Secret, WorkerIdentity, seal


class _Letter(msgspec.Struct, frozen=True):
    """An order on its way: its secrets are numbered, and sealed all together.

    ``folders`` are the service's own, for a worker on the same machine, which shares its artifacts.
    """

    order: msgspec.Raw
    secrets: str
    folders: dict[str, str] = {}


#: Made here, by one thread: for the first decoder msgspec reads the types of all orders, and two
#: threads that do so at the same time crash the process.
_ORDERS = msgspec.json.Decoder(Order)
_letter_encoder = msgspec.json.Encoder()
_letter_decoder = msgspec.json.Decoder(_Letter)


def to_line(order: Order, recipient: str, *, is_beside: bool = True) -> bytes:
    """Return an order as one line of JSON for the worker of a public key.

    With ``is_beside`` the worker is on the same machine and uses the service's folders; another one
    has its own.
    """
    secrets: list[str] = []
    folders: dict[str, str] = {}

    def written(value: object) -> object:
        if isinstance(value, Secret):
            secrets.append(str(value))
            return len(secrets) - 1
        if isinstance(value, Artifact):
            folders[value.area] = value.folder
            return value.reference
        raise TypeError(f"{type(value).__name__} does not go into an order")

    data = msgspec.json.Encoder(enc_hook=written).encode(order)
    letter = _Letter(msgspec.Raw(data), seal(secrets, recipient), folders if is_beside else {})
    return _letter_encoder.encode(letter) + b"\n"


def from_line(line: bytes, identity: WorkerIdentity, folders: Folders | None = None) -> Order:
    """Return the order of a line; ``folders`` are the worker's own.

    Raises ``ValueError`` (``msgspec.ValidationError``) for anything else.
    """
    letter = _letter_decoder.decode(line)
    secrets = identity.opened(letter.secrets)
    own = folders or letter.folders

    def read(kind: type, value: object) -> object:
        if kind is Secret and type(value) is int and 0 <= value < len(secrets):
            return secrets[value]
        if kind is Artifact and isinstance(value, str):
            return resolved(value, own)
        raise ValueError(f"{value!r} is no {kind.__name__}")

    order: Order = msgspec.json.Decoder(Order, dec_hook=read).decode(letter.order)
    return order
