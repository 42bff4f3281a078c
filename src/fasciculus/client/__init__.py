"""The typed client library.

>>> from fasciculus.client import Client
>>> with Client() as client:                      # FASCICULUS_URL, FASCICULUS_TOKEN
...     run = client.start("nightly")
...     for event in run.follow():
...         ...
...     print(run.result().sentence)
"""

from .client import Client, RunHandle
from .errors import (
    ClientError,
    DownloadError,
    NoAnswerError,
    NotFoundError,
    NotSignedInError,
    RefusedError,
    UnusableAnswerError,
)
from .events import LiveEvent

__all__ = [
    "Client",
    "ClientError",
    "DownloadError",
    "LiveEvent",
    "NoAnswerError",
    "NotFoundError",
    "NotSignedInError",
    "RefusedError",
    "RunHandle",
    "UnusableAnswerError",
]
