"""What sealed bundles need of the tasks that write them."""

from __future__ import annotations

from copy import deepcopy
from typing import TYPE_CHECKING

from ..core.bundle.manifest import Manifest

if TYPE_CHECKING:
    from ..core.bundle.seal.sealing import Sealer


def sealer_to(recipients: list[str]) -> Sealer | None:
    """Return a sealer for some public keys; None if there are none."""
    if not recipients:
        return None
    # Imported late: most bundles are not sealed.
    from ..core.bundle.seal.sealing import Sealer

    return Sealer(recipients)


def public(manifest: Manifest) -> Manifest:
    """Return a manifest as a store may show it to anybody."""
    if not manifest.sealed_to:
        return manifest
    shown = deepcopy(manifest)
    shown.forget_names()
    return shown
