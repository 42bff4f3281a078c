"""``python -m fasciculus.worker``: executes the order on standard input.

``--fork-server DESCRIPTOR`` starts workers for a service instead.
"""

from __future__ import annotations

import os
import sys

if __name__ == "__main__":
    if sys.argv[1:2] == ["--fork-server"]:
        from .fork_server import serve

        serve(int(sys.argv[2]))
    else:
        from .process import main

        code = main()
        sys.stderr.flush()
        # All is written and flushed: taking the interpreter apart would cost a tenth of a second.
        os._exit(code)
