"""``fasciculus stores upload``: bundles from elsewhere."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Annotated
from urllib.parse import quote

import typer

from ...core.bundle.layout import MANIFEST, is_bundle_file
from ...core.bundle.manifest import parse_manifest
from ...core.errors import FasciculusError
from ...core.subject import Subject
from .. import output
from ..output import count, size
from ..parameters import AsJson
from ..session import service
from .store_maintenance import finish

if TYPE_CHECKING:
    from ...client import Client

#: The bytes of one part.
_PART = 4 * 1024 * 1024
_SECONDS = 120


@dataclass(frozen=True, slots=True)
class Source:
    """Files of bundles: their sizes by their paths on a store, and a reader of parts."""

    files: dict[str, int]
    part: Callable[[str, int], bytes]


def upload(
    name: Annotated[str, typer.Argument(help="The new store.", show_default=False)],
    folder: Annotated[
        str,
        typer.Argument(help="A copied store, or one subject's folder of it.", show_default=False),
    ] = "",
    from_: Annotated[
        str,
        typer.Option(
            "--from",
            help="Instead of a folder: the address of another installation.",
            metavar="ADDRESS",
        ),
    ] = "",
    code_file: Annotated[
        str,
        typer.Option(
            help="With --from: a file with the code from “bundles link --for-installation”; “-” "
            "for standard input."
        ),
    ] = "",
    discard: Annotated[
        bool, typer.Option("--discard", help="Remove what was uploaded, if it is no store yet.")
    ] = False,
    as_json: AsJson = False,
) -> None:
    """Upload bundles from elsewhere into a new store of the service, and import them.

    Nothing vouches for such copies. The same command continues an interrupted upload.
    """
    with service() as client:
        if discard:
            client.uploads_remove(name)
            return output.say(f"Removed upload {name}.")
        source = _installation(from_, code_file) if from_ else _folder(folder)
        if not as_json:
            whole = sum(source.files.values())
            output.say(f"{count(len(source.files), 'file')}, {size(whole)}, into store {name}.")
        _send(client, name, source)
        finish(client, client.uploads_finish(name), no_wait=False, as_json=as_json, quiet=False)
    return None


def _send(client: Client, name: str, source: Source) -> None:
    there = client.uploads_start(name)
    for path, whole in source.files.items():
        if path in there.complete:
            continue
        arrived = there.received.get(path, 0)
        while True:
            data = source.part(path, arrived)
            if not data and arrived < whole:
                raise output.wrong(f"{path} is shorter than it was.", "Run the command again.")
            arrived = client.uploads_add(name, path, arrived, whole, data).received
            if arrived >= whole:
                break


def _folder(text: str) -> Source:
    """Return the files in a folder of this machine."""
    root = Path(text)
    if not text or not root.is_dir():
        raise output.wrong(
            f"There is no folder “{text}”." if text else "Nothing says what to upload.",
            "Name a folder with bundles, or another installation (--from).",
            "FOLDER",
        )
    before = _folder_on_store(root)
    files = {}
    for path in sorted(_regular(root)):
        stored = before + str(path.relative_to(root))
        if is_bundle_file(stored):
            files[stored] = path.stat().st_size
    if not any(path.endswith(f"/{MANIFEST}") for path in files):
        raise output.wrong(
            f"{text} holds no bundle.",
            "Name a folder that holds accounts, sites or hosts, or the folder of one of them.",
            "FOLDER",
        )
    # The manifests last, as they make a bundle complete.
    files = dict(sorted(files.items(), key=lambda row: row[0].endswith(f"/{MANIFEST}")))

    def part(path: str, start: int) -> bytes:
        with (root / path.removeprefix(before)).open("rb") as file:
            file.seek(start)
            return file.read(_PART)

    return Source(files, part)


def _regular(root: Path) -> Iterator[Path]:
    return (path for path in root.rglob("*") if path.is_file() and not path.is_symlink())


def _folder_on_store(root: Path) -> str:
    """Return the folder on a store that a folder here is a copy of, empty for the whole store."""
    for path in root.glob(f"bundles/*/{MANIFEST}"):
        try:
            found = parse_manifest(path.read_bytes())
            return f"{Subject.of(found.subject_kind, found.subject).folder}/"
        except (FasciculusError, ValueError, OSError):
            continue
    return ""


def _installation(address: str, code_file: str) -> Source:
    """Return the files that another installation gives away."""
    import httpx

    code = output.read_file("--code-file", code_file) if code_file else ""
    if not code:
        raise output.wrong("There is no code.", "Name a file with it.", "--code-file")
    base = f"{address.rstrip('/')}/copies/{quote(code, safe='')}"
    web = httpx.Client(timeout=_SECONDS, trust_env=False)

    def asked(url: str, **headers: str) -> httpx.Response:
        try:
            answer = web.get(url, headers=headers)
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise output.wrong(
                f"{address} does not answer ({error}).", "Run the command again later.", "--from"
            ) from None
        if answer.is_error:
            said = "the code is wrong or has expired" if answer.status_code == 404 else "it failed"
            raise output.wrong(f"{address} refused: {said}.", "Ask for a new code.", "--from")
        return answer

    try:
        listed = asked(base).json()["files"]
        files = {str(path): int(whole) for path, whole in listed.items()}
    except (ValueError, KeyError, TypeError, AttributeError):
        raise output.wrong(f"{address} is no Fasciculus.", "Check it.", "--from") from None
    if not files or not all(is_bundle_file(path) for path in files):
        raise output.wrong(f"{address} lists no bundle.", "Ask for another code.", "--from")

    def part(path: str, start: int) -> bytes:
        return asked(f"{base}/{quote(path)}", Range=f"bytes={start}-").content[:_PART]

    return Source(files, part)
