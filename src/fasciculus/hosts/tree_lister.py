"""Lists a tree with all attributes, without reading files.

A program for hosts that have Python 3.7 or later: it is sent there after the texts of
``core/bundle/root_path.py``, ``core/bundle/inode_flags.py`` and ``hosts/tree_records.py``. Its
arguments are the folder and its home. Records come in scan order.
"""

import os
import sys
from typing import BinaryIO

from ..core.bundle.root_path import open_root
from .tree_records import complain, records


def main(sink: BinaryIO) -> int:
    """List the folder that the command names."""
    try:
        root = open_root(*map(os.fsencode, sys.argv[1:3]))
    except OSError as error:
        complain(os.fsencode(sys.argv[1]), error)
        return 1
    for line in records(root):
        sink.write(line)
    sink.flush()
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.stdout.buffer))
