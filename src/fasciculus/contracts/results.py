"""Results of orders: one type for each kind of order."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct, field

from ..core.bundle.manifest import ManifestSummary
from ..core.restore.drill import DrillFigures
from ..core.restore.plan_line import PlanSummary
from ..core.restore.restore_kind import SetAside

#: ``done``; ``warned``: done, with warnings; ``partial``: a store has no copy; ``failed``: nothing
#: was made; ``cancelled``: on request; ``interrupted``: the worker or the service was ended;
#: ``skipped``: it was not begun.
Outcome = Literal["done", "warned", "partial", "failed", "cancelled", "interrupted", "skipped"]


class Result(Struct, kw_only=True):
    """The base of all results. ``error`` is what went wrong, empty where nothing did."""

    outcome: Outcome
    error: str = ""


class Failure(Result, kw_only=True, tag_field="result", tag="failure"):
    """A failed order of any kind; ``passing`` says that a retry may succeed."""

    passing: bool = False


class BackupResult(Result, kw_only=True, tag_field="result", tag="backup"):
    """A complete bundle. Bytes are of contents, ``packed`` of the pieces that it brought, and
    ``unusual`` says why older copies stay for now, as a clause.
    """

    bundle: str
    entries: int
    bytes: int
    packed: int
    manifest: ManifestSummary
    unusual: str = ""


class RestoreResult(Result, kw_only=True, tag_field="result", tag="restore"):
    """The result of a restore; ``failed`` if something could not be restored."""

    entries: int
    bytes: int
    #: Of a restore in place: the sums of its plan, and whether something is set aside.
    plan: PlanSummary | None = None
    has_set_aside: bool = False
    #: Of a drill: what was compared.
    drill: DrillFigures | None = None


class SideResult(Result, kw_only=True, tag_field="result", tag="side"):
    """The state of a side folder after an order.

    ``changed`` are paths that changed since, so that an undo would lose something.
    """

    state: SetAside
    changed: list[str] = []


class ReleaseResult(Result, kw_only=True, tag_field="result", tag="release"):
    """Hold pages were removed."""


class MeasuredSize(Struct, frozen=True):
    """Entries and bytes."""

    entries: int = 0
    bytes: int = 0


class ExcludedSize(Struct, frozen=True):
    """The exclusions of one rule."""

    rule: str
    entries: int
    bytes: int


class FolderSize(Struct, frozen=True):
    """A folder with everything below it."""

    path: str
    entries: int
    bytes: int


class PreviewResult(Result, kw_only=True, tag_field="result", tag="preview"):
    """The expected contents of a bundle. ``packed`` is an estimate; ``new`` is since the last
    bundle.
    """

    size: MeasuredSize
    packed: int
    new: MeasuredSize | None = None
    excluded: list[ExcludedSize] = field(default_factory=list)
    folders: list[FolderSize] = field(default_factory=list)
    warnings: list[str] = field(default_factory=list)


class MaintenanceResult(Result, kw_only=True):
    """The base of the results of maintenance. ``summary`` is one sentence for people."""

    summary: str
    entries: int = 0
    bytes: int = 0


class VerifyResult(MaintenanceResult, kw_only=True, tag_field="result", tag="verify"):
    """Copies were verified: ``entries`` pieces, ``bytes`` of them read. ``warned`` when damaged."""


class RepairResult(MaintenanceResult, kw_only=True, tag_field="result", tag="repair"):
    """``entries`` files were repaired. ``warned`` when some could not be."""


class TransferResult(MaintenanceResult, kw_only=True, tag_field="result", tag="transfer"):
    """``entries`` bundles were brought, for which ``bytes`` were sent. ``warned`` when some could
    not be.
    """


class ResealResult(MaintenanceResult, kw_only=True, tag_field="result", tag="reseal"):
    """``entries`` bundles were sealed, for which ``bytes`` were sent."""


class RetireResult(MaintenanceResult, kw_only=True, tag_field="result", tag="retire"):
    """``entries`` copies were retired, which freed ``bytes`` of pieces."""


class ImportResult(MaintenanceResult, kw_only=True, tag_field="result", tag="import"):
    """``entries`` bundles were found on a store. ``warned`` when something could not be read."""


class RepackResult(MaintenanceResult, kw_only=True, tag_field="result", tag="repack"):
    """``entries`` pieces were rewritten, which freed ``bytes``.

    ``pieces`` contain ``holds`` bytes of contents in ``stored`` bytes; no bundle needs ``unused``
    of them. Rewriting the ``chosen`` pieces was expected to free ``frees`` bytes.
    """

    pieces: int = 0
    stored: int = 0
    holds: int = 0
    unused: int = 0
    chosen: int = 0
    frees: int = 0
    freed: int = 0


AnyResult = (
    Failure
    | BackupResult
    | RestoreResult
    | SideResult
    | ReleaseResult
    | PreviewResult
    | VerifyResult
    | RepairResult
    | RepackResult
    | TransferResult
    | ImportResult
    | ResealResult
    | RetireResult
)
