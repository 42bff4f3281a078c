"""``python -m fasciculus.service.describe``: prints the OpenAPI document, for generated code."""

from __future__ import annotations

import json

from . import http
from .openapi import openapi

if __name__ == "__main__":
    assert http  # imported for the operations it registers
    print(json.dumps(openapi(), indent=1, ensure_ascii=False))
