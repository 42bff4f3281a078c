"""``python -m fasciculus.worker DESCRIPTOR``: starts workers for a service, by a socket."""

from __future__ import annotations

import sys

from .fork_server import serve

if __name__ == "__main__":
    serve(int(sys.argv[1]))
