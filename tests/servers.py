"""Servers for stores: those that ship as stand-ins, and Debian's own."""

from __future__ import annotations

import os
import shutil
import socket
import subprocess
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from ports import free_port
from running import until

from fasciculus.demo.certificate import certificate as made_certificate
from fasciculus.demo.certificate import public_part
from fasciculus.demo.drive import DriveStandIn
from fasciculus.demo.ftp import FtpStandIn
from fasciculus.demo.misbehaviour import Misbehaviour
from fasciculus.demo.object_storage import ObjectStorageStandIn
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.stores import store_spec
from fasciculus.stores.access import TokenFile
from fasciculus.stores.base import StoreSpec
from fasciculus.stores.drive import fetch_tokens, request_access

USER, PASSWORD = "fasciculus", "boat-and-rope"


@dataclass
class Place:
    """A store to test with: how it is reached, where its files lie, what does it wrong."""

    spec: StoreSpec
    root: Path
    misbehaviour: Misbehaviour | None = None
    server: Any = None


def certificate(folder: Path) -> Path:
    """A key and a certificate for 127.0.0.1 that no authority signed, in one PEM file."""
    return made_certificate(folder / "server.pem")


@contextmanager
def folder_place(tmp: Path) -> Iterator[Place]:
    (tmp / "attic").mkdir()
    yield Place(
        store_spec("attic", {"kind": "folder", "folder": str(tmp / "attic")}), tmp / "attic"
    )


@contextmanager
def sftp_place(tmp: Path) -> Iterator[Place]:
    found = SftpStandIn(tmp / "boathouse", tmp / "host-key", USER, PASSWORD)
    settings = {
        "kind": "sftp",
        "address": "127.0.0.1",
        "port": found.port,
        "user": USER,
        "folder": "/bundles",
        "host_key": found.host_key,
    }
    try:
        spec = store_spec("boathouse", settings, {"password": PASSWORD})
        yield Place(spec, found.root / "bundles", found.misbehaviour, found)
    finally:
        found.close()


def ftp_settings(port: int, **more: str) -> dict[str, Any]:
    return {
        "kind": "ftp",
        "address": "127.0.0.1",
        "port": port,
        "user": USER,
        "folder": "/bundles",
        "security": "none",
        **more,
    }


def ftp_place(tls: bool = False, mlsd: bool = True) -> Callable[[Path], Any]:
    @contextmanager
    def place(tmp: Path) -> Iterator[Place]:
        pem = certificate(tmp) if tls else None
        found = FtpStandIn(tmp / "web-space", USER, PASSWORD, certificate=pem, mlsd=mlsd)
        more = {"security": "tls", "certificate": public_part(pem)} if pem else {}
        try:
            spec = store_spec("space", ftp_settings(found.port, **more), {"password": PASSWORD})
            yield Place(spec, found.root / "bundles", found.misbehaviour, found)
        finally:
            found.close()

    return place


@contextmanager
def s3_place(tmp: Path) -> Iterator[Place]:
    found = ObjectStorageStandIn(tmp / "objects", "HERONMERE", PASSWORD)
    settings = {
        "kind": "s3",
        "endpoint": found.url,
        "bucket": "bundles",
        "folder": "reed-1",
        "path_style": True,
        "create_bucket": True,
    }
    secrets = {"access_key": "HERONMERE", "secret_key": PASSWORD}
    try:
        spec = store_spec("objects", settings, secrets)
        yield Place(spec, found.root / "bundles/reed-1", found.misbehaviour, found)
    finally:
        found.close()


@contextmanager
def webdav_place(tmp: Path) -> Iterator[Place]:
    found = DriveStandIn(tmp / "drive", user=USER, password=PASSWORD)
    settings = {"kind": "webdav", "url": f"{found.url}/dav/bundles", "user": USER}
    try:
        spec = store_spec("shelf", settings, {"password": PASSWORD})
        yield Place(spec, found.root / "bundles", found.misbehaviour, found)
    finally:
        found.close()


@contextmanager
def drive_place(tmp: Path) -> Iterator[Place]:
    # Tokens that end at once are exchanged all the time.
    found = DriveStandIn(tmp / "drive", token_seconds=61)
    settings = drive_settings(found)
    try:
        tokens = TokenFile(tmp / "tokens/drive", b"k" * 32)
        spec = store_spec("drive", settings, tokens=tokens)
        request = request_access(spec)
        assert fetch_tokens(spec, request) is None, "its owner has not agreed yet"
        found.confirm(request.user_code)
        given = fetch_tokens(spec, request)
        assert given is not None
        tokens.save(given)
        yield Place(spec, found.root / "bundles", found.misbehaviour, found)
    finally:
        found.close()


def drive_settings(drive: DriveStandIn) -> dict[str, Any]:
    return {
        "kind": "drive",
        "url": f"{drive.url}/dav/bundles",
        "device_url": f"{drive.url}/oauth/device",
        "token_url": f"{drive.url}/oauth/token",
        "client_id": "fasciculus",
        "scope": "files:bundles",
    }


# Debian's own servers ---------------------------------------------------------------


@contextmanager
def running(command: list[str], port: int, log: Path) -> Iterator[None]:
    """A server in the foreground, once it listens."""
    program = shutil.which(command[0], path="/usr/sbin:/usr/bin")
    assert program, f"{command[0]} is missing"

    def listens() -> bool:
        assert process.poll() is None, log.read_text()
        with socket.socket() as probe:
            return probe.connect_ex(("127.0.0.1", port)) == 0

    with log.open("w") as sink:
        process = subprocess.Popen(
            [program, *command[1:]], stdout=sink, stderr=sink, stdin=subprocess.DEVNULL
        )
        try:
            until(listens)
            yield
        finally:
            process.terminate()
            process.wait(30)


def vsftpd_place(tls: bool = False) -> Callable[[Path], Any]:
    @contextmanager
    def place(tmp: Path) -> Iterator[Place]:
        root, port, pem = tmp / "space", free_port(), certificate(tmp)
        # Its root may not be written by the one who signs in.
        (root / "up").mkdir(parents=True)
        # The folders above are closed to everybody else.
        for folder in (*[p for p in tmp.parents if len(p.parts) > 2], tmp, root):
            folder.chmod(folder.stat().st_mode | 0o055)
        shutil.chown(root / "up", "ftp", "nogroup")
        empty = tmp / "empty"
        empty.mkdir()
        lines = {
            "listen": "YES",
            "listen_address": "127.0.0.1",
            "listen_port": port,
            "background": "NO",
            "anonymous_enable": "YES",
            "no_anon_password": "YES",
            "anon_root": root,
            "write_enable": "YES",
            "anon_upload_enable": "YES",
            "anon_mkdir_write_enable": "YES",
            "anon_other_write_enable": "YES",
            "anon_world_readable_only": "NO",
            "anon_umask": "077",
            "secure_chroot_dir": empty,
            "seccomp_sandbox": "NO",
            "isolate": "NO",
            "isolate_network": "NO",
        }
        if tls:
            lines |= {
                "ssl_enable": "YES",
                "allow_anon_ssl": "YES",
                "force_anon_logins_ssl": "YES",
                "force_anon_data_ssl": "YES",
                "rsa_cert_file": pem,
                "require_ssl_reuse": "YES",
            }
        config = tmp / "vsftpd.conf"
        config.write_text("".join(f"{key}={value}\n" for key, value in lines.items()))
        more = {"security": "tls", "certificate": public_part(pem)} if tls else {}
        settings = ftp_settings(port, **more) | {"user": "anonymous", "folder": "/up/bundles"}
        with running(["vsftpd", str(config)], port, tmp / "vsftpd.log"):
            yield Place(store_spec("vsftpd", settings, {"password": "x"}), root / "up/bundles")

    return place


_APACHE = """
ServerName localhost
ServerRoot {tmp}
Listen 127.0.0.1:{port}
PidFile {tmp}/pid
ErrorLog {tmp}/error.log
User www-data
Group www-data
LoadModule mpm_event_module {modules}/mod_mpm_event.so
LoadModule authn_core_module {modules}/mod_authn_core.so
LoadModule authn_file_module {modules}/mod_authn_file.so
LoadModule authz_core_module {modules}/mod_authz_core.so
LoadModule authz_user_module {modules}/mod_authz_user.so
LoadModule auth_digest_module {modules}/mod_auth_digest.so
LoadModule dav_module {modules}/mod_dav.so
LoadModule dav_fs_module {modules}/mod_dav_fs.so
DavLockDB {tmp}/run/locks
DocumentRoot {tmp}/www
<Directory {tmp}/www>
  Dav On
  AuthType Digest
  AuthName heronmere
  AuthUserFile {tmp}/users
  Require valid-user
</Directory>
"""


@contextmanager
def apache_place(tmp: Path) -> Iterator[Place]:
    """Apache's mod_dav, signed in by Digest."""
    import hashlib

    port, root = free_port(), tmp / "www"
    for folder in (root, tmp / "run"):
        folder.mkdir()
        shutil.chown(folder, "www-data", "www-data")
    for folder in (*[p for p in tmp.parents if len(p.parts) > 2], tmp):
        folder.chmod(folder.stat().st_mode | 0o055)
    digest = hashlib.md5(f"{USER}:heronmere:{PASSWORD}".encode(), usedforsecurity=False)
    (tmp / "users").write_text(f"{USER}:heronmere:{digest.hexdigest()}\n")
    config = tmp / "apache.conf"
    config.write_text(_APACHE.format(tmp=tmp, port=port, modules="/usr/lib/apache2/modules"))
    settings = {
        "kind": "webdav",
        "url": f"http://127.0.0.1:{port}/bundles",
        "sign_in": "digest",
        "user": USER,
    }
    with running(["apache2", "-X", "-f", str(config)], port, tmp / "apache.log"):
        yield Place(store_spec("apache", settings, {"password": PASSWORD}), root / "bundles")


_NGINX = """
load_module /usr/lib/nginx/modules/ngx_http_dav_ext_module.so;
daemon off;
user root;
pid {tmp}/pid;
error_log {tmp}/error.log;
events {{}}
http {{
  access_log off;
  client_body_temp_path {tmp}/b; proxy_temp_path {tmp}/p; fastcgi_temp_path {tmp}/f;
  uwsgi_temp_path {tmp}/u; scgi_temp_path {tmp}/s;
  server {{
    listen 127.0.0.1:{port};
    root {tmp}/www;
    client_max_body_size 0;
    auth_basic heronmere;
    auth_basic_user_file {tmp}/users;
    location / {{
      dav_methods PUT DELETE MKCOL COPY MOVE;
      dav_ext_methods PROPFIND OPTIONS;
    }}
  }}
}}
"""


@contextmanager
def nginx_place(tmp: Path) -> Iterator[Place]:
    """nginx's own WebDAV, which tells folders by the slash at their end."""
    port, root = free_port(), tmp / "www"
    root.mkdir()
    (tmp / "users").write_text(f"{USER}:{{PLAIN}}{PASSWORD}\n")
    config = tmp / "nginx.conf"
    config.write_text(_NGINX.format(tmp=tmp, port=port))
    settings = {"kind": "webdav", "url": f"http://127.0.0.1:{port}/bundles", "user": USER}
    with running(["nginx", "-c", str(config)], port, tmp / "nginx.log"):
        yield Place(store_spec("nginx", settings, {"password": PASSWORD}), root / "bundles")


@contextmanager
def moto_place(tmp: Path) -> Iterator[Place]:
    """An object storage of others, which knows versions and object locks."""
    # Imported late: it takes a second.
    from moto.server import ThreadedMotoServer

    found = ThreadedMotoServer("127.0.0.1", 0, verbose=False)
    found.start()
    address, port = found.get_host_and_port()
    settings = {
        "kind": "s3",
        "endpoint": f"http://{address}:{port}",
        "bucket": f"bundles-{tmp.name[:40].strip('-_').replace('_', '-')}",
        "folder": "reed-1",
        "path_style": True,
        "create_bucket": True,
    }
    secrets = {"access_key": "HERONMERE", "secret_key": PASSWORD}
    try:
        yield Place(store_spec("moto", settings, secrets), tmp, server=found)
    finally:
        found.stop()


STAND_INS: dict[str, Callable[[Path], Any]] = {
    "sftp": sftp_place,
    "ftp": ftp_place(),
    "s3": s3_place,
    "webdav": webdav_place,
    "drive": drive_place,
}
PLACES: dict[str, Callable[[Path], Any]] = {
    "folder": folder_place,
    **STAND_INS,
    "ftp-list": ftp_place(mlsd=False),
    "ftps": ftp_place(tls=True),
}
#: Those of Debian, which want to be root.
REAL: dict[str, Callable[[Path], Any]] = {
    "vsftpd": vsftpd_place(),
    "vsftpd-tls": vsftpd_place(tls=True),
    "moto": moto_place,
    "apache": apache_place,
    "nginx": nginx_place,
}


def is_root() -> bool:
    return os.geteuid() == 0
