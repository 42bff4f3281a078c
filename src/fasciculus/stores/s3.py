"""A bucket of S3-compatible object storage."""

from __future__ import annotations

import base64
import hashlib
import io
import ssl
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime
from functools import cache
from pathlib import Path
from tempfile import NamedTemporaryFile, _TemporaryFileWrapper
from threading import Lock
from typing import Any, BinaryIO, Literal
from urllib.parse import urlsplit

from pydantic import Field, field_validator

from ..core.errors import (
    ConnectionLostError,
    DamagedError,
    FasciculusError,
    MissingError,
    NotListedError,
    SettingError,
    StoreFullError,
    UnreachableError,
)
from ..fields import certificate_field
from ..kinds import Secrets
from ..network import reach, resolved, root_of, tls_context, untrusted
from .base import (
    ConnectStep,
    StoreItem,
    StoreKind,
    StoreSettings,
    StoreSpec,
    TlsAddress,
    https_address,
    listed_items,
)
from .retry_after import retry_after
from .s3_versions import BucketVersions, error_code

#: Larger files go in parts, several at once. A part is at least 5 MiB, and there are at most 10,000
#: of them (limits of the S3 API).
_PART = 8 * 1024 * 1024
_MOST_PARTS = 9_000
_AT_ONCE = 4
_WINDOW = 4 * 1024 * 1024
_CONNECT_SECONDS = 20
#: Sessions of boto3 make one client at a time.
_MAKING = Lock()
_FULL = ("QuotaExceeded", "InsufficientStorage", "StorageFull", "EntityTooLarge")
_REFUSED = ("AccessDenied", "AllAccessDisabled", "403")
_SIGN_IN = ("InvalidAccessKeyId", "SignatureDoesNotMatch", "InvalidToken", "ExpiredToken")
_GONE = ("NoSuchKey", "404", "NotFound", "NoSuchUpload")
#: What servers say that do not know a call.
_UNKNOWN = ("NotImplemented", "MethodNotAllowed", "501", "405")
_WORTH_A_TRY = (
    "SlowDown",
    "TooManyRequests",
    "429",
    "InternalError",
    "ServiceUnavailable",
    "RequestTimeout",
    "503",
    "500",
)


class S3Settings(StoreSettings):
    """A bucket, and the folder in it."""

    kind: Literal["s3"] = "s3"
    endpoint: str = Field(
        min_length=1,
        title="Endpoint",
        description="The address of the object storage; its provider lists it next to the keys.",
        examples=["https://objects.sedge-quill.example"],
    )
    region: str = Field(default="us-east-1", title="Region")
    bucket: str = Field(min_length=1, title="Bucket", examples=["heronmere-bundles"])
    folder: str = Field(
        default="",
        title="Folder in the bucket",
        description="Before the names of all objects; empty for the bucket itself.",
        examples=["reed-1"],
    )
    create_bucket: bool = Field(
        default=False,
        title="Create the bucket",
        description="If no bucket of that name exists. Without it a wrong name is an error.",
    )
    path_style: bool = Field(
        default=False,
        title="Bucket in the path",
        description="Instead of before the host name; many storages of one's own want it.",
    )
    storage_class: str = Field(
        default="",
        title="Storage class of pieces",
        description="As the provider names it; empty for its own choice. One that must be thawed "
        "before it can be read makes restores wait.",
    )
    certificate: str = certificate_field()
    remove_versions: bool = Field(
        default=False,
        title="Remove old versions",
        description="If the bucket keeps versions: remove retired files with all their versions, "
        "which requires the right s3:DeleteObjectVersion. Otherwise the bucket never "
        "shrinks.",
    )

    object_lock: Literal["none", "governance", "compliance"] = Field(
        default="none",
        title="Object lock",
        description="Lock each copy until its keep rule no longer wants it, at most for a year; "
        "the bucket must have been created with object lock, and the keys need the rights "
        "s3:PutObjectRetention and s3:GetObjectRetention. Governance: keys with a special right "
        "can remove it earlier; compliance: nobody can.",
    )

    @field_validator("endpoint")
    @classmethod
    def _url(cls, value: str) -> str:
        parts = urlsplit(value.strip())
        if parts.scheme not in ("http", "https") or not parts.hostname:
            raise ValueError("Enter an address such as “https://objects.sedge-quill.example”.")
        if parts.username or parts.password:
            raise ValueError("Enter the address without keys; keys have their own fields.")
        return value.strip().rstrip("/")

    @field_validator("folder")
    @classmethod
    def _folder(cls, value: str) -> str:
        return value.strip().strip("/")

    def tls_address(self) -> TlsAddress | None:
        """Return the address that presents a certificate, None without TLS."""
        return https_address(self.endpoint)

    def unprotected(self) -> str:
        """Return what is readable in transit, empty if nothing."""
        return "files" if self.endpoint.startswith("http:") else ""

    def for_retiring(self) -> StoreSettings:
        """Return the settings under which files go with all their versions."""
        return self.model_copy(update={"remove_versions": True})

    def lock_mode(self) -> str:
        """Return the mode of the locks, empty for none."""
        return "" if self.object_lock == "none" else self.object_lock

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        return f"s3 {urlsplit(self.endpoint).netloc}/{self.bucket}/{self.folder}".rstrip("/")


class S3Secrets(Secrets):
    """The pair of keys that signs requests."""

    access_key: str | None = Field(
        default=None,
        repr=False,
        title="Access key",
        description="Created in the provider's panel, often under “API keys” or “credentials”; a "
        "key limited to this bucket is enough.",
    )
    secret_key: str | None = Field(default=None, repr=False, title="Secret key")


@dataclass(slots=True)
class _Upload:
    """An upload in parts; ``done`` are the parts that the server has, with their tags."""

    number: str
    part_size: int
    done: dict[int, str] = field(default_factory=dict)


class S3Store:
    """A store in a bucket. The server compares an MD5 of each part with what arrived."""

    digests_itself = True
    proves_transfer = True

    def __init__(self, spec: StoreSpec) -> None:
        assert isinstance(spec.settings, S3Settings)
        self.spec, self._settings = spec, spec.settings
        self._prefix = f"{spec.settings.folder}/" if spec.settings.folder else ""
        self._made_client: Any = None
        #: The accepted certificate, in a file, as boto3 wants it.
        self._authorities: _TemporaryFileWrapper[str] | None = None
        self._uploads: dict[str, _Upload] = {}
        self._lock = Lock()

    # Connecting --------------------------------------------------------------

    def connect(self) -> None:
        """Connect; harmless if it is connected already."""
        if self._made_client is None:
            self._sign_in()

    def connecting(self) -> list[ConnectStep]:
        """Return the steps of connecting, for a test."""
        parts = urlsplit(self._settings.endpoint)
        address = parts.hostname or ""
        port = parts.port or (443 if parts.scheme == "https" else 80)
        return [
            ConnectStep("resolve", lambda: resolved(address)),
            ConnectStep("connect", lambda: self._reach(address, port)),
            ConnectStep("server", lambda: self._identify(parts.scheme)),
            ConnectStep("sign in", self._sign_in),
            ConnectStep("folder", self._find_root),
        ]

    def _reach(self, address: str, port: int) -> str:
        self.close()
        reach(address, port, _CONNECT_SECONDS).close()
        return f"{address}, port {port} answers."

    def _identify(self, scheme: str) -> str:
        if scheme == "http":
            return "Not checked: without HTTPS nothing proves which server this is."
        with self._said(self._settings.bucket), suppress(MissingError, UnreachableError):
            self._client.list_buckets(MaxBuckets=1)
        return "Its certificate is valid for that address."

    def _sign_in(self) -> str:
        for name, title in (("access_key", "access key"), ("secret_key", "secret key")):
            if not self.spec.secrets.get(name):
                raise SettingError(f"The {title} is missing.", f"Enter the {title}.", field=name)
        with self._said(self._settings.bucket):
            try:
                self._client.head_bucket(Bucket=self._settings.bucket)
            except FasciculusError:
                raise
            except Exception as error:
                if error_code(error) in ("403", "401"):
                    # HEAD has no body to say why; a list has.
                    self._client.list_objects_v2(
                        Bucket=self._settings.bucket, Prefix=self._prefix, MaxKeys=1
                    )
                elif error_code(error) not in _GONE:
                    raise
        return "The keys are accepted."

    def _find_root(self) -> str:
        bucket = self._settings.bucket
        with self._said(bucket):
            try:
                self._client.list_objects_v2(Bucket=bucket, Prefix=self._prefix, MaxKeys=1)
            except Exception as error:
                if error_code(error) not in ("NoSuchBucket", *_GONE):
                    raise
                raise self._no_bucket() from error
        return f"The bucket {bucket} exists."

    def make_root(self) -> None:
        """Create the root folder; harmless if it exists."""
        if not self._settings.create_bucket:
            raise self._no_bucket()
        with self._said(self._settings.bucket):
            region = self._settings.region
            # The first region of all must not be named.
            place = (
                {}
                if region in ("", "us-east-1")
                else {"CreateBucketConfiguration": {"LocationConstraint": region}}
            )
            self._client.create_bucket(Bucket=self._settings.bucket, **place)

    @property
    def _client(self) -> Any:
        if self._made_client is None:
            # Imported late: it is large, and most services have no such store.
            from botocore.config import Config

            settings = self._settings
            self._authorities = _authorities(settings.certificate)
            self._made_client = _new_client(
                endpoint_url=settings.endpoint,
                region_name=settings.region,
                verify=self._authorities.name if self._authorities else None,
                aws_access_key_id=self.spec.secrets.get("access_key"),
                aws_secret_access_key=self.spec.secrets.get("secret_key"),
                config=Config(
                    signature_version="s3v4",
                    connect_timeout=_CONNECT_SECONDS,
                    read_timeout=self.spec.stall_timeout,
                    max_pool_connections=_AT_ONCE + 2,
                    # Trying again is the business of RetryingStore, which says so.
                    retries={"total_max_attempts": 1},
                    s3={"addressing_style": "path" if settings.path_style else "auto"},
                    # Not every storage knows the newer checksums; MD5 is sent with every part.
                    request_checksum_calculation="when_required",
                    response_checksum_validation="when_required",
                ),
            )
        return self._made_client

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        if self._made_client is not None:
            with suppress(Exception):
                self._made_client.close()
        if self._authorities is not None:
            self._authorities.close()
        self._made_client = self._authorities = None

    @contextmanager
    def _said(self, path: str) -> Iterator[None]:
        from botocore.exceptions import BotoCoreError, ClientError, SSLError

        name = self.spec.name
        try:
            yield
        except FasciculusError:
            raise
        except ClientError as error:
            raise self._explained(path, error) from error
        except SSLError as error:
            self.close()
            cause = root_of(error)
            if isinstance(cause, ssl.SSLCertVerificationError):
                raise untrusted(self._settings.endpoint, cause) from error
            raise ConnectionLostError(
                f"{self._settings.endpoint} and this machine agree on no secured connection: "
                f"{str(cause)[:200]}.",
                "Correct the endpoint: is its port one for HTTPS?",
                field="endpoint",
            ) from error
        except (BotoCoreError, OSError) as error:
            self.close()
            raise ConnectionLostError(
                f"The connection to store “{name}” was lost.",
                "Check the line. Runs try again by themselves.",
            ) from error

    def _explained(self, path: str, error: Exception) -> FasciculusError:
        code, name = error_code(error), self.spec.name
        if code in _GONE:
            return MissingError(f"{path} is not on store “{name}”.")
        if code == "NoSuchBucket":
            return self._no_bucket()
        if code in _FULL or code == "507":
            return StoreFullError(
                f"Store “{name}” is full: {path} did not fit.",
                "Free space there, or keep fewer copies.",
            )
        if code in _SIGN_IN:
            return UnreachableError(
                f"{self._settings.endpoint} does not accept these keys.",
                "Give the right access key and secret key.",
                field="secret_key",
            )
        if code in _REFUSED:
            return UnreachableError(
                f"Store “{name}” does not permit {path}.",
                "Give these keys the right to list, read, write and remove in this bucket.",
            )
        if code in _WORTH_A_TRY:
            wait = retry_after(_headers(error).get("retry-after"), datetime.now(UTC))
            return ConnectionLostError(f"Store “{name}” is too busy to answer ({code}).").after(
                wait
            )
        return UnreachableError(
            f"Store “{name}” refused {path}: {code}.", "Its provider's documents explain the word."
        )

    def _no_bucket(self) -> MissingError:
        return MissingError(
            f"There is no bucket “{self._settings.bucket}”.",
            "Correct its name, or have it created (“Create the bucket”).",
            field="bucket",
        )

    def _key(self, path: str) -> str:
        return self._prefix + path

    def _at(self, path: str) -> dict[str, str]:
        return {"Bucket": self._settings.bucket, "Key": self._key(path)}

    # Reading -----------------------------------------------------------------

    def items(self, folder: str) -> list[StoreItem]:
        """Return the contents of a folder, by name."""
        prefix = self._key(folder.strip("./") + "/") if folder.strip("./") else self._prefix
        found: list[tuple[str, int, bool]] = []
        with self._said(folder):
            pages = self._client.get_paginator("list_objects_v2").paginate(
                Bucket=self._settings.bucket, Prefix=prefix, Delimiter="/"
            )
            for page in pages:
                found += [
                    (row["Prefix"][len(prefix) : -1], 0, True)
                    for row in page.get("CommonPrefixes", [])
                ]
                found += [
                    (row["Key"][len(prefix) :], row["Size"], False)
                    for row in page.get("Contents", [])
                ]
        return listed_items(self.spec.name, found)

    def open(self, path: str, offset: int = 0, length: int | None = None) -> BinaryIO:
        """Return a stream of a file's bytes."""
        if length == 0:
            return io.BytesIO()
        end = "" if length is None else str(offset + length - 1)
        with self._said(path):
            try:
                answer = self._client.get_object(
                    **self._at(path),
                    **({"Range": f"bytes={offset}-{end}"} if offset or end else {}),
                )
            except Exception as error:
                if error_code(error) not in ("InvalidRange", "416"):
                    raise
                return io.BytesIO()
        return io.BufferedReader(_Body(self, path, answer["Body"], length), _WINDOW)

    def _head(self, path: str) -> dict[str, Any] | None:
        with self._said(path):
            try:
                found: dict[str, Any] = self._client.head_object(**self._at(path))
                return found
            except Exception as error:
                if error_code(error) not in _GONE:
                    raise
        return None

    def size(self, path: str) -> int | None:
        """Return the size of a file in bytes, None if it does not exist."""
        found = self._head(path)
        return None if found is None else int(found["ContentLength"])

    def modified(self, path: str) -> datetime | None:
        """Return the modification time by the store's clock, None if unknown."""
        found = self._head(path)
        return None if found is None else found["LastModified"]

    def sha256(self, path: str) -> str | None:
        """Return the SHA-256 that the store computes, None if it cannot."""
        return None

    def free(self) -> int | None:
        """Return the free bytes, None if unknown."""
        return None

    # Writing -----------------------------------------------------------------

    def put(self, local: Path, path: str, on_bytes: Callable[[int], None]) -> None:
        """Store a local file, completely or not at all."""
        size = local.stat().st_size
        if size <= _PART:
            self._put_small(local.read_bytes(), path)
            on_bytes(size)
            return
        upload = self._uploads.get(path) or self._begin(path, size)
        try:
            self._send_parts(upload, local, path, size, on_bytes)
            parts = [{"PartNumber": n, "ETag": upload.done[n]} for n in sorted(upload.done)]
            with self._said(path):
                self._client.complete_multipart_upload(
                    **self._at(path), UploadId=upload.number, MultipartUpload={"Parts": parts}
                )
        except ConnectionLostError:
            raise
        except FasciculusError:
            self._abort(path, upload.number)
            raise
        self._uploads.pop(path, None)

    def put_bytes(self, data: bytes, path: str) -> None:
        """Store a few bytes as a file."""
        self._put_small(data, path)

    def _put_small(self, data: bytes, path: str) -> None:
        digest = hashlib.md5(data, usedforsecurity=False)
        with self._said(path):
            answer = self._client.put_object(
                **self._at(path), **self._class_of(path), Body=data, ContentMD5=_base64(digest)
            )
        _check_tag(answer, digest.hexdigest(), path)

    def _class_of(self, path: str) -> dict[str, str]:
        # Manifests and listings are read often, and by every upkeep.
        cold = self._settings.storage_class
        return {"StorageClass": cold} if cold and "/pieces/" in path else {}

    def _begin(self, path: str, size: int) -> _Upload:
        with self._said(path):
            answer = self._client.create_multipart_upload(**self._at(path), **self._class_of(path))
        found = _Upload(answer["UploadId"], max(_PART, -(-size // _MOST_PARTS)))
        self._uploads[path] = found
        return found

    def _send_parts(
        self, upload: _Upload, local: Path, path: str, size: int, on_bytes: Callable[[int], None]
    ) -> None:
        count = -(-size // upload.part_size)
        left = [number for number in range(1, count + 1) if number not in upload.done]

        def send(number: int) -> None:
            if failed:
                return
            try:
                sent = self._send_part(upload, local, path, number)
            except BaseException:
                failed.append(number)
                raise
            with self._lock:
                on_bytes(sent)

        failed: list[int] = []
        client = self._client  # made by one thread
        assert client is not None
        with ThreadPoolExecutor(_AT_ONCE, "parts") as pool:
            for done in [pool.submit(send, number) for number in left]:
                done.result()

    def _send_part(self, upload: _Upload, local: Path, path: str, number: int) -> int:
        with local.open("rb") as source:
            source.seek((number - 1) * upload.part_size)
            data = source.read(upload.part_size)
        digest = hashlib.md5(data, usedforsecurity=False)
        with self._said(path):
            answer = self._client.upload_part(
                **self._at(path),
                UploadId=upload.number,
                PartNumber=number,
                Body=data,
                ContentMD5=_base64(digest),
            )
        _check_tag(answer, digest.hexdigest(), path)
        upload.done[number] = answer["ETag"]
        return len(data)

    def arrived(self, path: str) -> int:
        """Return the bytes of an interrupted upload that need not be sent again."""
        upload = self._uploads.get(path)
        return len(upload.done) * upload.part_size if upload else 0

    def _abort(self, path: str, number: str) -> None:
        self._uploads.pop(path, None)
        with suppress(FasciculusError), self._said(path):
            self._client.abort_multipart_upload(**self._at(path), UploadId=number)

    def clear_partial(self, folder: str) -> None:
        """Abort abandoned uploads: their parts are stored, and paid for, invisibly.

        Raises ``NotListedError`` where they cannot be listed.
        """
        try:
            with self._said(folder):
                pages = self._client.get_paginator("list_multipart_uploads").paginate(
                    Bucket=self._settings.bucket, Prefix=self._key(folder.rstrip("/") + "/")
                )
                found = [row for page in pages for row in page.get("Uploads", [])]
        except UnreachableError as error:
            if error.__cause__ and error_code(error.__cause__) in (*_REFUSED, *_UNKNOWN):
                raise NotListedError(
                    "Unfinished uploads cannot be listed, and so cannot be aborted; their parts "
                    "use space.",
                    "Give these keys the right s3:ListBucketMultipartUploads, or let the provider "
                    "end them after some days.",
                ) from error
            raise
        for row in found:
            self._abort(row["Key"][len(self._prefix) :], row["UploadId"])

    def rename(self, path: str, to: str) -> None:
        """Rename a file in its folder, replacing any file of that name."""
        with self._said(path):
            self._client.copy_object(**self._at(to), CopySource=self._at(path))
        self.remove(path)

    def remove(self, path: str) -> None:
        """Remove a file; harmless if it does not exist."""
        with self._said(path):
            if self._settings.remove_versions:
                self._versions.remove_all(self._key(path))
            else:
                self._client.delete_object(**self._at(path))

    @property
    def _versions(self) -> BucketVersions:
        return BucketVersions(self._client, self._settings.bucket)

    def describe_versions(self) -> str:
        """Return whether the bucket keeps versions, in words."""
        with self._said(self._settings.bucket):
            return self._versions.words(self._prefix, are_removed=self._settings.remove_versions)

    def old_bytes(self) -> int:
        """Return the bytes of old versions."""
        with self._said(self._settings.bucket):
            if not self._versions.are_kept():
                return 0
            return sum(size for _, _, size in self._versions.old(self._prefix))

    def keeps_replaced(self) -> bool:
        """Return whether the bucket keeps old versions."""
        with self._said(self._settings.bucket):
            return self._versions.are_kept()

    def keep_until(self, path: str, until: datetime) -> None:
        """Lock an object until a time; one that is locked for longer stays so."""
        mode = self._settings.lock_mode()
        found = self._head(path)
        held = found.get("ObjectLockRetainUntilDate") if found is not None else None
        if not mode or (held is not None and held >= until):
            return
        with self._said(f"a lock of {path}"):
            self._client.put_object_retention(
                **self._at(path),
                Retention={"Mode": mode.upper(), "RetainUntilDate": until},
            )

    def remove_folder(self, folder: str) -> None:
        """Do nothing: a folder is only a common prefix of names."""

    def replaces_at_once(self) -> bool:
        """Return whether replacing a file is atomic."""
        return True


class _Body(io.RawIOBase):
    """The body of an answer; what ends early is a lost connection."""

    def __init__(self, store: S3Store, path: str, body: Any, length: int | None) -> None:
        self._store, self._path, self._body, self._left = store, path, body, length

    def readable(self) -> bool:
        return True

    def readinto(self, buffer: Any) -> int:
        count = len(buffer) if self._left is None else min(len(buffer), self._left)
        if not count:
            return 0
        with self._store._said(self._path):
            data = self._body.read(count)
        if self._left is not None:
            self._left -= len(data)
        buffer[: len(data)] = data
        return len(data)

    def close(self) -> None:
        if not self.closed:
            with suppress(Exception):
                self._body.close()
        super().close()


@cache
def _session() -> Any:
    import boto3

    return boto3.session.Session()


def _new_client(**settings: Any) -> Any:
    """Return a client of the shared session: another session would read the description of S3
    again, which takes 0.2 s.
    """
    with _MAKING:
        return _session().client("s3", **settings)


def _authorities(certificate: str) -> _TemporaryFileWrapper[str] | None:
    """Return a file of an accepted certificate; None where known authorities are to be asked.
    Raises ``UnreachableError`` for one that cannot be read.
    """
    if not certificate.strip():
        return None
    tls_context(certificate)
    found = NamedTemporaryFile("w", prefix="fasciculus-certificate-")  # noqa: SIM115  closed later
    found.write(certificate)
    found.flush()
    return found


def _headers(error: Exception) -> dict[str, str]:
    response = getattr(error, "response", None) or {}
    found: dict[str, str] = response.get("ResponseMetadata", {}).get("HTTPHeaders", {})
    return found


def _base64(digest: Any) -> str:
    return base64.b64encode(digest.digest()).decode()


def _check_tag(answer: dict[str, Any], digest: str, path: str) -> None:
    # The tag of what the storage itself encrypts may be anything.
    if answer.get("ServerSideEncryption") or answer.get("SSECustomerAlgorithm"):
        return
    tag = str(answer.get("ETag", "")).strip('"').lower()
    if len(tag) == 32 and set(tag) <= set("0123456789abcdef") and tag != digest:
        raise DamagedError(f"{path} arrived altered.", "It is sent again at the next start.")


KIND = StoreKind(
    "s3", "Object storage (S3-compatible)", S3Settings, S3Secrets, S3Store, versioned=True
)
