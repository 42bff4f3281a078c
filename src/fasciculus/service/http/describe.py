"""``python -m fasciculus.service.http.describe``: prints the OpenAPI document."""

from __future__ import annotations

import json

from . import handlers
from .openapi import openapi

if __name__ == "__main__":
    assert handlers  # imported for the operations they register
    print(json.dumps(openapi(), indent=1, ensure_ascii=False))
