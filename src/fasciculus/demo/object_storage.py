"""A small object storage on loopback: a stand-in that speaks what of S3's API a store needs.

Objects are files below a folder, so that they outlive a restart and can be looked at.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import os
import re
import secrets
import shutil
from collections.abc import Iterator
from datetime import UTC, datetime
from email.utils import format_datetime
from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from botocore.auth import S3SigV4Auth
from botocore.awsrequest import AWSRequest
from botocore.credentials import Credentials
from flask import Flask, Response, request

from .http_server import HttpServer
from .misbehaviour import Misbehaviour, free_bytes, wsgi

_CHUNK = 256 * 1024
_NAMESPACE = "http://s3.amazonaws.com/doc/2006-03-01/"
_AUTHORIZATION = re.compile(
    r"AWS4-HMAC-SHA256 Credential=([^/]+)/(\d{8})/([^/]+)/s3/aws4_request, ?"
    r"SignedHeaders=([^,]+), ?Signature=([0-9a-f]{64})"
)


class _Refused(Exception):
    def __init__(self, status: int, code: str) -> None:
        super().__init__(code)
        self.status, self.code = status, code


class ObjectStorageStandIn:
    """Serves buckets, with one pair of keys. ``quota`` bounds the bytes of all objects."""

    def __init__(
        self,
        root: Path,
        access_key: str,
        secret_key: str,
        port: int = 0,
        quota: int | None = None,
    ) -> None:
        self.root, self.quota = root, quota
        self.access_key, self.secret_key = access_key, secret_key
        self.misbehaviour = Misbehaviour()
        self._uploads = root / ".uploads"
        self._uploads.mkdir(parents=True, exist_ok=True)
        self._app = Flask("object-storage")
        # A connection that it cuts on purpose is not logged.
        self._app.logger.disabled = True
        methods = ["GET", "HEAD", "PUT", "POST", "DELETE"]
        for rule in ("/", "/<bucket>", "/<bucket>/", "/<bucket>/<path:key>"):
            self._app.add_url_rule(rule, rule, self._answer, methods=methods)
        self._app.register_error_handler(_Refused, _refused)
        self._server = HttpServer(wsgi(self._app, self.misbehaviour), port)
        self.port, self.url = self._server.port, self._server.url

    def close(self) -> None:
        """Close it; harmless if it is closed already."""
        self._server.close()

    # Who asks, and for what ----------------------------------------------------

    def _answer(self, bucket: str = "", key: str = "") -> Response:
        self._check_signature()
        if not bucket:
            rows = "".join(
                f"<Bucket><Name>{path.name}</Name></Bucket>" for path in self.root.iterdir()
            )
            return _xml("ListAllMyBucketsResult", f"<Buckets>{rows}</Buckets>")
        if not re.fullmatch(r"[a-z0-9][a-z0-9.-]{1,62}", bucket):
            raise _Refused(400, "InvalidBucketName")
        folder = self.root / bucket
        if request.method in ("PUT", "POST") and self.misbehaviour.refuse:
            raise _Refused(403, "AccessDenied")
        if not key:
            return self._bucket(folder)
        if not folder.is_dir():
            raise _Refused(404, "NoSuchBucket")
        if any(part in ("", ".", "..") for part in key.split("/")):
            raise _Refused(400, "InvalidObjectName")
        return self._object(folder, key)

    def _check_signature(self) -> None:
        """Signature version 4, computed again over what came."""
        match = _AUTHORIZATION.match(request.headers.get("Authorization", ""))
        if not match:
            raise _Refused(403, "AccessDenied")
        key, _, region, names, signature = match.groups()
        if key != self.access_key:
            raise _Refused(403, "InvalidAccessKeyId")
        signer = S3SigV4Auth(Credentials(key, self.secret_key), "s3", region)
        again = AWSRequest(
            request.method,
            f"http://{request.host}{request.environ['REQUEST_URI']}",
            {name: request.headers.get(name, "") for name in names.split(";")},
        )
        again.context["timestamp"] = request.headers.get("X-Amz-Date", "")
        text = signer.string_to_sign(again, signer.canonical_request(again))
        if not hmac.compare_digest(signer.signature(text, again), signature):
            raise _Refused(403, "SignatureDoesNotMatch")

    def _bucket(self, folder: Path) -> Response:
        if request.method == "PUT":
            folder.mkdir(exist_ok=True)
            return Response(status=200)
        if not folder.is_dir():
            raise _Refused(404, "NoSuchBucket")
        if request.method == "HEAD":
            return Response(status=200)
        if "uploads" in request.args:
            return self._list_uploads(folder)
        return _list(folder)

    def _object(self, folder: Path, key: str) -> Response:
        path, upload = folder / key, request.args.get("uploadId")
        match request.method:
            case "GET" | "HEAD":
                return self._get(path)
            case "DELETE" if upload:
                shutil.rmtree(self._upload(upload))
                return Response(status=204)
            case "DELETE":
                path.unlink(missing_ok=True)
                _tidy(path.parent, folder)
                return Response(status=204)
            case "POST" if "uploads" in request.args:
                return self._begin(folder, key)
            case "POST":
                return self._complete(self._upload(upload or ""), path)
            case _ if "X-Amz-Copy-Source" in request.headers:
                return self._copy(path)
            case _ if upload:
                part = self._upload(upload) / f"{int(request.args['partNumber']):05d}"
                return Response(status=200, headers={"ETag": f'"{self._receive(part)}"'})
            case _:
                tag = self._receive(path)
                self.misbehaviour.stored(path)
                return Response(status=200, headers={"ETag": f'"{tag}"'})

    # Objects -------------------------------------------------------------------

    def _get(self, path: Path) -> Response:
        if not path.is_file():
            raise _Refused(404, "NoSuchKey")
        size = path.stat().st_size
        begin, end, status = 0, size, 200
        if wanted := re.fullmatch(r"bytes=(\d+)-(\d*)", request.headers.get("Range", "")):
            begin = int(wanted[1])
            end = min(size, int(wanted[2]) + 1) if wanted[2] else size
            if begin >= size:
                raise _Refused(416, "InvalidRange")
            status = 206
        moment = datetime.fromtimestamp(path.stat().st_mtime, UTC)
        headers = {
            "Content-Length": str(end - begin),
            "Last-Modified": format_datetime(moment, usegmt=True),
            "ETag": '"none"',
        }
        if status == 206:
            headers["Content-Range"] = f"bytes {begin}-{end - 1}/{size}"
        body = () if request.method == "HEAD" else _stretch(path, begin, end)
        return Response(body, status, headers, mimetype="application/octet-stream")

    def _receive(self, path: Path) -> str:
        """Take the body of the request as a file; its MD5."""
        length = int(request.headers.get("Content-Length", 0))
        if length > free_bytes(self.root, self.quota, self.misbehaviour):
            raise _Refused(507, "QuotaExceeded")
        path.parent.mkdir(parents=True, exist_ok=True)
        partial = self._uploads / f"receiving-{secrets.token_hex(8)}"
        digest = hashlib.md5(usedforsecurity=False)
        try:
            with partial.open("wb") as sink:
                left = length
                while left and (chunk := request.stream.read(min(left, _CHUNK))):
                    left -= len(chunk)
                    digest.update(chunk)
                    sink.write(chunk)
            wanted = request.headers.get("Content-MD5")
            if left or (wanted and base64.b64decode(wanted) != digest.digest()):
                raise _Refused(400, "BadDigest")
            os.replace(partial, path)
        finally:
            partial.unlink(missing_ok=True)
        return digest.hexdigest()

    def _copy(self, path: Path) -> Response:
        bucket, _, key = request.headers["X-Amz-Copy-Source"].lstrip("/").partition("/")
        path.parent.mkdir(parents=True, exist_ok=True)
        shutil.copyfile(self.root / bucket / key, path)
        return _xml("CopyObjectResult", "<ETag>none</ETag>")

    # Uploads in parts ----------------------------------------------------------

    def _upload(self, number: str) -> Path:
        found = self._uploads / number
        if not re.fullmatch(r"[0-9a-f]{32}", number) or not found.is_dir():
            raise _Refused(404, "NoSuchUpload")
        return found

    def _begin(self, folder: Path, key: str) -> Response:
        number = secrets.token_hex(16)
        (self._uploads / number).mkdir()
        (self._uploads / number / "for").write_text(f"{folder.name}/{key}")
        return _xml(
            "InitiateMultipartUploadResult",
            f"<Key>{escape(key)}</Key><UploadId>{number}</UploadId>",
        )

    def _complete(self, upload: Path, path: Path) -> Response:
        wanted = re.findall(r"<PartNumber>(\d+)</PartNumber>", request.get_data(as_text=True))
        parts = [upload / f"{int(number):05d}" for number in wanted]
        if not parts or not all(part.is_file() for part in parts):
            raise _Refused(400, "InvalidPart")
        whole = upload / "whole"
        with whole.open("wb") as sink:
            for part in parts:
                with part.open("rb") as source:
                    shutil.copyfileobj(source, sink, _CHUNK)
                part.unlink()
        path.parent.mkdir(parents=True, exist_ok=True)
        os.replace(whole, path)
        shutil.rmtree(upload)
        self.misbehaviour.stored(path)
        return _xml("CompleteMultipartUploadResult", f"<ETag>none-{len(parts)}</ETag>")

    def _list_uploads(self, folder: Path) -> Response:
        prefix, rows = request.args.get("prefix", ""), ""
        for upload in sorted(self._uploads.glob("*/for")):
            bucket, _, key = upload.read_text().partition("/")
            if bucket == folder.name and key.startswith(prefix):
                rows += (
                    f"<Upload><Key>{escape(key)}</Key><UploadId>{upload.parent.name}</UploadId>"
                    "</Upload>"
                )
        return _xml("ListMultipartUploadsResult", f"<IsTruncated>false</IsTruncated>{rows}")


def _stretch(path: Path, begin: int, end: int) -> Iterator[bytes]:
    with path.open("rb") as file:
        file.seek(begin)
        while begin < end and (chunk := file.read(min(_CHUNK, end - begin))):
            begin += len(chunk)
            yield chunk


def _list(bucket: Path) -> Response:
    """ListObjectsV2, a page at a time."""
    prefix, most = request.args.get("prefix", ""), int(request.args.get("max-keys", 1000))
    after = request.args.get("continuation-token", "")
    begins = prefix.rpartition("/")[0]
    rows: dict[str, str] = {}
    for path in _below(bucket / begins, bool(request.args.get("delimiter"))):
        key = str(path.relative_to(bucket)) + ("/" if path.is_dir() else "")
        if key.startswith(prefix) and key > after:
            rows[key] = (
                f"<CommonPrefixes><Prefix>{escape(key)}</Prefix></CommonPrefixes>"
                if path.is_dir()
                else f"<Contents><Key>{escape(key)}</Key><Size>{path.stat().st_size}</Size>"
                "<LastModified>2026-11-24T02:15:00Z</LastModified></Contents>"
            )
    chosen = sorted(rows)[:most]
    more = len(rows) > most
    token = f"<NextContinuationToken>{escape(chosen[-1])}</NextContinuationToken>" if more else ""
    return _xml(
        "ListBucketResult",
        f"<IsTruncated>{str(more).lower()}</IsTruncated>{token}" + "".join(rows[k] for k in chosen),
    )


def _below(folder: Path, by_folder: bool) -> Iterator[Path]:
    if not folder.is_dir():
        return
    for path in folder.iterdir():
        if path.is_dir() and not by_folder:
            yield from _below(path, False)
        elif path.is_file() or any(child.is_file() for child in path.rglob("*")):
            yield path


def _tidy(folder: Path, bucket: Path) -> None:
    """Remove folders that no object is in: in a bucket there are none."""
    while folder != bucket and folder.is_dir() and not any(folder.iterdir()):
        folder.rmdir()
        folder = folder.parent


def _xml(name: str, inner: str) -> Response:
    text = f'<?xml version="1.0" encoding="UTF-8"?><{name} xmlns="{_NAMESPACE}">{inner}</{name}>'
    return Response(text, mimetype="application/xml")


def _refused(error: Any) -> Response:
    # What is left of the body is not read: the connection is not used again.
    answer = Response(
        f"<Error><Code>{error.code}</Code><Message>{error.code}</Message></Error>",
        error.status,
        mimetype="application/xml",
    )
    answer.headers["Connection"] = "close"
    return answer
