"""``python -m fasciculus.service``."""

import sys

from .main import main

sys.exit(main())
