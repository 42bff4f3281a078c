"""Text of people and machines that are not trusted: refused in words, or taken apart; never else.

Good examples are cut, joined, and have bytes exchanged, so that what comes is nearly right.
"""

from __future__ import annotations

import io
import tarfile
from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from fasciculus.core import definitions, mail_config
from fasciculus.core.bundle import tar_header
from fasciculus.core.bundle.entry import Entry, Extent, to_bytes
from fasciculus.core.bundle.listing import ListingWriter, from_line, read_listing, to_line
from fasciculus.core.bundle.manifest import Manifest, PieceRecord, parse_manifest
from fasciculus.core.bundle.seal import authentication
from fasciculus.core.discovery import web_server_config
from fasciculus.core.errors import DamagedError, FasciculusError, SettingError

KEY = b"k" * 32
ENTRY = Entry(
    "files",
    b"site/index.html",
    size=35,
    xattrs={"user.note": b"x"},
    digest="ab" * 32,
    parts=[Extent("2026-11-24T021500Z-nightly.files-0001.tar.zst", 0, 9000, 512, 35)],
)
MANIFEST = Manifest(
    "2026-11-24T021500Z-nightly",
    "account",
    "millpond",
    "nightly",
    "4",
    "reed-1",
    "2026-11-24T02:15:00+00:00",
    pieces=[PieceRecord("p", 3, "ab" * 32)],
    listing_sha256="cd" * 32,
    warnings=["a: changed while it was read"],
).to_json(KEY)
TOML = """
[hosts.reed-1]
connection = { kind = "local" }
[stores.attic]
settings = { kind = "folder", folder = "/srv/attic" }
secrets = { password = { env = "ATTIC" } }
[jobs.nightly]
keep = 7
"""
NGINX = """
server { listen 80; server_name millpond.example www.millpond.example; # the pottery
  root "/home/millpond/site"; location ~ \\.php$ { fastcgi_pass unix:/run/x; } }
"""
APACHE = """
<VirtualHost *:80>
ServerName http://ferryline.example:80
ServerAlias "www.ferryline.example" \\
  old.ferryline.example
DocumentRoot "/home/ferryline/site"
</VirtualHost>
"""
ALIASES = """
# the pottery
millpond.example anything
potter@millpond.example potter, kiln@millpond.example,
  apprentice@millpond.example
@ferryline.example ferry
"""
PASSWD = """potter@millpond.example:{SHA512-CRYPT}$6$x:1000:8::/var/p::userdb_quota_rule=*:1G
#kiln@millpond.example:{PLAIN}x:1000:1000::/var/mail/k::
"""


@st.composite
def nearly(draw: Callable[..., Any], good: bytes) -> bytes:
    """Good bytes with a few changes."""
    data = bytearray(good)
    for _ in range(draw(st.integers(0, 6))):
        at = draw(st.integers(0, max(len(data) - 1, 0)))
        match draw(st.sampled_from(("cut", "put", "drop", "double", "flip"))):
            case "cut":
                del data[at + draw(st.integers(0, 3)) :]
            case "put":
                data[at:at] = draw(
                    st.sampled_from(
                        (b"\0", b"\xff", b'"', b"\\", b"{", b"[", b"\n", b"../", b"-1", b"1e999")
                    )
                    | st.binary(max_size=4)
                )
            case "drop":
                del data[at : at + draw(st.integers(1, 9))]
            case "double":
                data[at:at] = data[max(0, at - draw(st.integers(1, 200))) : at]
            case "flip":
                if data:
                    data[at] ^= 1 << draw(st.integers(0, 7))
    return bytes(data)


def text(good: str) -> Any:
    """The same as text: invalid UTF-8 is replaced, as when a file is read."""
    return nearly(good.encode()).map(lambda data: data.decode("utf-8", "replace"))


@given(nearly(MANIFEST))
@example(b"[" * 100_000)
@example(b'{"a":' * 50_000)
def test_a_manifest(data: bytes) -> None:
    try:
        found = parse_manifest(data)
    except FasciculusError:
        return
    assert all("/" not in piece.name and piece.bytes >= 0 for piece in found.pieces)
    is_ours = authentication.origin_of(data, KEY) is authentication.Origin.OURS
    assert is_ours == (data == MANIFEST), "the tag covers every byte"


@given(nearly(to_line(ENTRY).rstrip(b"\n")))
@example(b"[" * 100_000)
def test_a_line_of_a_listing(line: bytes) -> None:
    try:
        entry = from_line(line)
    except DamagedError:
        return
    assert not {b".", b".."} & set(entry.path.split(b"/")) and b"\0" not in entry.path
    assert entry.size >= 0 and 0 <= entry.mode <= 0o7777
    again = from_line(to_line(entry))
    assert again == entry or entry.type != "file"


def packed(count: int) -> bytes:
    sink = io.BytesIO()
    writer = ListingWriter(sink)
    for _ in range(count):
        writer.add(ENTRY)
    writer.close()
    return sink.getvalue()


@given(nearly(packed(40)))
@settings(max_examples=200)
def test_a_listing(data: bytes) -> None:
    try:
        assert list(read_listing(io.BytesIO(data))) == [ENTRY] * 40
    except DamagedError:
        return


@given(
    st.binary(min_size=1, max_size=300).filter(lambda b: b"\0" not in b),
    st.binary(max_size=300).filter(lambda b: b"\0" not in b),
    st.dictionaries(st.text(min_size=1, max_size=60), st.binary(max_size=200), max_size=3),
    st.integers(-(2**70), 2**70),
    st.sampled_from(["file", "dir", "symlink", "fifo"]),
)
def test_a_tar_header_says_what_it_was_given(
    path: bytes, target: bytes, xattrs: dict[Any, Any], mtime_ns: int, kind: str
) -> None:
    entry = Entry("files", path, kind, mtime_ns=mtime_ns, xattrs=xattrs)
    entry.target = target if kind == "symlink" else None
    raw = tar_header.header(entry) + tar_header.END
    with tarfile.open(fileobj=io.BytesIO(raw), errors="surrogateescape") as archive:
        (member,) = archive.getmembers()
    assert member.name.encode("utf-8", "surrogateescape").rstrip(b"/") == entry.name.rstrip(b"/")


@given(text(TOML))
@example("a = " + "[" * 5000)
@example("[stores.x]\nsecrets = 'text'")
@example("[stores.x]\nsecrets = [1]")
@example("[stores.x]\nsecrets = [['a', 'b']]")
@example("[stores.x]\nsecrets = 7")
def test_definitions_in_toml(words: str) -> None:
    try:
        definitions.from_text(words)
    except SettingError as error:
        assert error.message and error.field == "text"


@given(text(NGINX))
def test_configuration_of_nginx(words: str) -> None:
    for found in web_server_config.nginx_hosts(words):
        assert (found.names or found.unread) and found.root.startswith("/")


@given(text(APACHE))
def test_configuration_of_apache(words: str) -> None:
    for found in web_server_config.apache_hosts(words):
        assert (found.names or found.unread) and found.root.startswith("/")


@given(text(ALIASES))
def test_maps_of_postfix(words: str) -> None:
    domains = mail_config.domains_of_map(words)
    for domain in {*domains, "millpond.example"}:
        lines = mail_config.map_lines(words, domain)
        merged = mail_config.merged_map(words, domain, lines)
        assert mail_config.map_lines(merged, domain) == lines
    mail_config.settings("millpond.example", words.splitlines(), [])


@given(text(PASSWD))
def test_passwd_files_of_dovecot(words: str) -> None:
    for domain in {*mail_config.domains_of_passwd(words), "millpond.example"}:
        lines = mail_config.passwd_lines(words, domain)
        merged = mail_config.merged_passwd(words, domain, lines)
        assert mail_config.passwd_lines(merged, domain) == lines
        mail_config.settings(domain, [], lines)


@pytest.mark.parametrize("mark", ['"', "'", "\\", "{", "#", '"\\'])
def test_a_configuration_of_nothing_but_marks_takes_no_hour(mark: str) -> None:
    assert list(web_server_config.nginx_hosts(mark * 300_000)) == []


@given(st.text(max_size=50))
def test_paths_as_text(words: str) -> None:
    try:
        to_bytes(words)
    except SettingError as error:
        assert error.field == "paths"
