"""Old versions of objects: what a bucket keeps of files that were removed or replaced.

By the S3 API: PutBucketVersioning and PutObjectLockConfiguration are the provider's or owner's to
use; here they are only asked for, and versions are removed where the settings say so.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

from ..core.formatting import format_count, format_size

#: What one request may remove (limit of the S3 API).
_MOST = 1000
#: What servers answer that have no object lock, or do not let these keys ask for it.
_NO_LOCK = ("ObjectLockConfigurationNotFoundError", "NotImplemented", "MethodNotAllowed", "404")
_NOT_TOLD = ("AccessDenied", "403", "NotImplemented", "MethodNotAllowed", "501", "405")


@dataclass(frozen=True, slots=True)
class BucketVersions:
    """The versions of a bucket's objects; ``client`` is one of boto3's, whose errors are raised."""

    client: Any
    bucket: str

    def are_kept(self) -> bool:
        """Return whether the bucket keeps what is removed or replaced. False where it does not
        tell.
        """
        try:
            answer = self.client.get_bucket_versioning(Bucket=self.bucket)
        except self.client.exceptions.ClientError as error:
            if error_code(error) in _NOT_TOLD:
                return False
            raise
        return str(answer.get("Status", "")) in ("Enabled", "Suspended")

    def lock(self) -> str:
        """Return how long the bucket's object lock keeps new objects, in words; empty
        without one.
        """
        try:
            answer = self.client.get_object_lock_configuration(Bucket=self.bucket)
        except self.client.exceptions.ClientError as error:
            if error_code(error) in (*_NO_LOCK, *_NOT_TOLD):
                return ""
            raise
        found = answer.get("ObjectLockConfiguration", {})
        if found.get("ObjectLockEnabled") != "Enabled":
            return ""
        rule = found.get("Rule", {}).get("DefaultRetention", {})
        for unit in ("Days", "Years"):
            if rule.get(unit):
                time = format_count(int(rule[unit]), unit.lower()[:-1])
                return f"{time}, mode {str(rule.get('Mode', '')).lower()}"
        return "no default period"

    def old(self, prefix: str) -> Iterator[tuple[str, str, int]]:
        """Yield the key, version and size of each version below a prefix that is not the newest."""
        for row in self._rows(prefix):
            if not row.get("IsLatest"):
                yield str(row["Key"]), str(row["VersionId"]), int(row.get("Size", 0))

    def remove_all(self, key: str) -> None:
        """Remove every version of an object, and what marks it as removed."""
        found = [
            {"Key": key, "VersionId": str(row["VersionId"])}
            for row in self._rows(key)
            if row["Key"] == key
        ]
        for begin in range(0, len(found), _MOST):
            answer = self.client.delete_objects(
                Bucket=self.bucket, Delete={"Objects": found[begin : begin + _MOST], "Quiet": True}
            )
            for row in answer.get("Errors", [])[:1]:
                raise self.client.exceptions.ClientError({"Error": row}, "DeleteObjects")

    def _rows(self, prefix: str) -> Iterator[dict[str, Any]]:
        pages = self.client.get_paginator("list_object_versions").paginate(
            Bucket=self.bucket, Prefix=prefix
        )
        for page in pages:
            yield from page.get("Versions", [])
            yield from page.get("DeleteMarkers", [])

    def words(self, prefix: str, *, are_removed: bool) -> str:
        """Return what the bucket does with what is removed or replaced, in a sentence or two."""
        lock = self.lock()
        locked = (
            f" It has an object lock ({lock}): until then nobody can remove a version."
            if lock
            else ""
        )
        if not self.are_kept():
            return f"Removed files are deleted.{locked}"
        if are_removed and not lock:
            return "The bucket keeps old versions, and they are removed with their files."
        taken = format_size(sum(size for _, _, size in self.old(prefix)))
        return (
            f"The bucket keeps what is removed or replaced as old versions, {taken} now.{locked} "
            "Have them removed too (“Remove old versions”), or let its provider do so after some "
            "days; otherwise the bucket never shrinks."
        )


def error_code(error: BaseException) -> str:
    """Return what an S3 server calls an error of boto3; empty where it gave no answer."""
    response = getattr(error, "response", None) or {}
    return str(response.get("Error", {}).get("Code", ""))[:80]
