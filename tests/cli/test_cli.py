"""The command line, and that API, client and command line are one."""

from __future__ import annotations

import inspect
import json
import os
import re
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any

from running import Service, run, set_up, sftp_store, small_account

from fasciculus.cli.main import ENTRIES
from fasciculus.client import Client
from fasciculus.demo.sftp import SftpStandIn
from fasciculus.service.http import handlers
from fasciculus.service.http.operations import OPERATIONS

#: The commands of operations without a command of the same name.
CARRIED = {
    "restores_relocation": "restore",
    "uploads_start": "stores upload",
    "uploads_show": "stores upload",
    "uploads_add": "stores upload",
    "uploads_finish": "stores upload",
    "uploads_remove": "stores upload",
    "recoveries_start": "recoveries run",
    "bundles_instructions": "bundles show",
    "stores_access": "stores connect",
    "stores_claim": "stores claim",
    "stores_transfer": "stores catch-up",
    "jobs_start": "start",
    "jobs_address_make": "jobs address",
    "jobs_address_change": "jobs address",
    "jobs_address_remove": "jobs address",
    "jobs_revert": "jobs revert",
    "jobs_report": "reports preview",
    "jobs_report_try": "reports try",
    "changes_list": "jobs changes",
    "pauses_list": "jobs paused",
    "pauses_set": "jobs pause",
    "pauses_lift": "jobs resume",
    "calendar_feed_make": "calendar feed",
    "calendar_feed_remove": "calendar feed",
    "watch_show": "alerts watch",
    "watch_change": "alerts watch",
    "templates_preview": "templates show",
    "overview": "status",
    "search": "search",
    "session_open": "sign-in",
    "password_change": "sign-in",
    "session_close": "sign-out",
    "session_show": "sign-in",
    "runs_events": "runs follow",
    "live": "runs follow",
    "restores_start": "restore",
    "bundles_table_changes": "bundles changes",
    "bundles_difference": "bundles diff",
    "links_list": "bundles links",
    "links_make": "bundles link",
    "links_remove": "bundles unlink",
    "drills_settings_show": "drills settings",
    "drills_settings_change": "drills settings",
    "hosts_unmatched": "hosts find",
    "downloads_show": "bundles download",
    "outbox_list": "reports waiting",
    "outbox_send": "reports send",
    "outbox_remove": "reports remove",
    "mail_change": "mail set",
    "stores_try_draft": "stores add",
    "hosts_try_draft": "hosts add",
    "hosts_accept": "hosts accept",
    "previews_start": "jobs preview",
    "previews_show": "jobs preview",
    "previews_cancel": "jobs preview",
    "openapi_document": "",
    "reference": "",
    "messages_show": "",
    "kinds_list": "stores kinds",
    "job_defaults": "jobs add",
}


def commands() -> set[str]:
    found = set()
    for name, entry in ENTRIES.items():
        command = entry.load()
        found |= {f"{name} {verb}" for verb in getattr(command, "commands", [])} or {name}
    return found


def every_command() -> Iterator[Any]:
    """(words, command) of each command there is."""
    for name, entry in ENTRIES.items():
        command = entry.load()
        verbs = getattr(command, "commands", None)
        yield from [(f"{name} {v}", c) for v, c in verbs.items()] if verbs else [(name, command)]


def test_every_command_speaks_json() -> None:
    for words, command in every_command():
        options = {option for parameter in command.params for option in parameter.opts}
        assert "--json" in options or words in ("serve", "worker"), words


def test_every_operation_has_a_client_method_and_a_command() -> None:
    assert handlers  # imported for the operations they register
    known = commands()
    for operation in OPERATIONS:
        if operation.name.startswith("fleet_"):
            # For workers alone, which have their own program.
            continue
        if operation.name not in ("reference", "messages_show"):
            assert inspect.isfunction(getattr(Client, operation.name, None)), operation.name
        noun, _, verb = operation.name.partition("_")
        command = CARRIED.get(operation.name, f"{noun} {verb}")
        assert command in known or not command, f"{operation.name}: no command “{command}”"
    names = {operation.name for operation in OPERATIONS}
    ours = {
        name
        for name, _ in inspect.getmembers(Client, inspect.isfunction)
        if not name.startswith("_")
    }
    assert ours - names == {"close", "every", "health", "start"}


def test_from_nothing_to_a_restored_account(
    running: Service, stand_in: SftpStandIn, tmp_path: Path
) -> None:
    account = small_account(tmp_path, "millpond")
    (stand_in.root / "bundles").mkdir()
    password = tmp_path / "password"
    password.write_text(stand_in.password + "\n")

    def good(*words: Any) -> str:
        found = running.cli(*words)
        assert found.returncode == 0, found.stdout + found.stderr
        return found.stdout

    assert "No hosts yet" in good("hosts", "list") and "No jobs yet" in good("jobs", "list")
    good("hosts", "add", "reed-1")
    assert "no job covers it yet" in good(
        "accounts",
        "add",
        "millpond",
        "--host",
        "reed-1",
        "--home",
        account.home,
        "--site",
        f"millpond.example={account.home}/public",
    )
    sftp = [
        "--kind",
        "sftp",
        "--address",
        "127.0.0.1",
        "--port",
        str(stand_in.port),
        "--user",
        "fasciculus",
        "--folder",
        "/bundles",
        "--password-file",
        str(password),
    ]
    shown = running.cli("stores", "add", "boathouse", *sftp)
    assert shown.returncode == 1
    key = re.search(r"SHA256:\S+(?=,)", shown.stdout)[0]
    good("stores", "add", "boathouse", *sftp, "--host-key", key)
    added = good(
        "jobs",
        "add",
        "nightly",
        "--accounts",
        "all",
        "--store",
        "boathouse",
        "--contents",
        "files",
        "--when",
        "daily 02:15",
        "--zone",
        "Europe/London",
        "--keep",
        "3",
    )
    assert (
        "Every day at 02:15 (Europe/London time), it bundles files of all accounts (1 now) to "
        "boathouse" in added
    )
    assert "▲ Nobody is notified if it fails" in added
    line = good("start", "nightly", "--wait").strip()
    assert re.fullmatch(
        r"nightly: 1 bundle of .* stored on boathouse; took .* s\.; 1 warning|nightly: 1 bundle "
        r".*\.",
        line,
    )
    assert good("start", "nightly", "--wait", "--quiet") == "", (
        "quiet in a cron line when all is well"
    )
    bundle = json.loads(good("bundles", "list", "--json"))[0]
    assert bundle["subject"] == "millpond" and bundle["copies"][0]["store"] == "boathouse"
    assert "page-1.html" in good("bundles", "files", str(bundle["id"]))
    assert "page-1.html" in good("bundles", "search", str(bundle["id"]), "PAGE-1")
    assert "files-0001.tar.zst" in good("bundles", "show", str(bundle["id"]))
    target = tmp_path / "back"
    assert "Restored 4 entries" in good("restore", str(bundle["id"]), "--to", str(target))
    assert (target / "files/page-1.html").read_text() == (
        tmp_path / "millpond/page-1.html"
    ).read_text()
    assert "whole and checked" in good(
        "bundles", "download", str(bundle["id"]), "--to", str(tmp_path / "x.tar.gz")
    )
    assert "making 20" in good("runs", "log", "1") and "boathouse: 1 kept" in good(
        "runs", "show", "1"
    )
    assert "nightly" in good("search", "night") and "Nothing needs attention" not in good(
        "jobs", "summary", "nightly"
    )
    good("jobs", "change", "nightly", "--off")
    assert json.loads(good("jobs", "show", "nightly", "--json"))["enabled"] is False
    assert "stay" in good("jobs", "remove", "nightly", "--yes")


def test_exit_codes_and_ways_out(running: Service, stand_in: SftpStandIn, tmp_path: Path) -> None:
    with running.client() as client:
        set_up(client, [small_account(tmp_path, "millpond")], [sftp_store(stand_in)])
        run(client, "nightly")

    def code(*words: Any, **more: Any) -> Any:
        found = running.cli(*words, **more)
        return found.returncode, found.stdout + found.stderr

    assert code("status")[0] == 0
    assert code("start", "nightli") == (
        5,
        "fasciculus: There is no job “nightli”. Did you mean “nightly”?\n",
    )
    number, text = code("start")
    assert number == 2 and "jobs: nightly" in text
    number, text = code("status", env={"FASCICULUS_TOKEN": "fsc_no"})
    assert number == 4 and "Run “fasciculus sign-in”" in text and running.url in text
    number, text = code("status", env={"FASCICULUS_URL": "http://127.0.0.1:9"})
    assert number == 3 and "does not answer" in text
    number, text = code("jobs", "add", "weekly", "--accounts", "all")
    assert number == 2 and "Stores: boathouse" in text
    assert (
        code(
            "jobs", "add", "weekly", "--accounts", "all", "--store", "boathouse", "--when", "noon"
        )[0]
        == 2
    )
    assert code("jobs", "remove", "nightly")[0] == 2, "without a terminal only --yes will do"
    assert code("stores", "remove", "boathouse", "--yes")[0] == 2
    assert code("restore", "1", "--to", str(tmp_path / "millpond"))[0] == 2
    os.rename(tmp_path / "millpond", tmp_path / "moved")
    number, text = code("start", "nightly", "--wait", "--quiet")
    assert number == 1 and "home folder" in text
    number, text = code("status")
    assert number == 1 and "Job nightly: failed" in text


def test_signing_in_keeps_a_token(running: Service, tmp_path: Path) -> None:
    import pty
    import subprocess
    import sys

    controller, terminal = pty.openpty()
    environment = {**running.environment, "FASCICULUS_URL": running.url, "HOME": str(tmp_path)}
    environment.pop("XDG_CONFIG_HOME", None)
    program = str(Path(sys.executable).with_name("fasciculus"))
    process = subprocess.Popen(
        [program, "sign-in"],
        env=environment,
        stdin=terminal,
        stdout=terminal,
        stderr=terminal,
        start_new_session=True,
    )
    shown = b""
    while not shown.endswith(b": "):
        shown += os.read(controller, 1000)
    os.write(controller, b"sedge-and-quill\n")
    assert process.wait(60) == 0
    kept = tmp_path / ".config/fasciculus/token"
    assert kept.stat().st_mode & 0o777 == 0o600
    found = subprocess.run(
        [program, "tokens", "list"], env=environment, capture_output=True, text=True
    )
    assert found.returncode == 0 and "@" in found.stdout
    assert subprocess.run([program, "sign-out"], env=environment).returncode == 0
    assert not kept.exists()


def test_a_host_described_found_covered_and_measured_from_the_command_line(
    running: Service, tmp_path: Path
) -> None:
    valley = tmp_path / "valley"
    for name in ("millpond", "ferryline"):
        (valley / name / f"sites/{name}.example/cache").mkdir(parents=True)
        (valley / name / f"sites/{name}.example/index.html").write_text(name * 50)
        (valley / name / f"sites/{name}.example/cache/page").write_text("x" * 900)
    (tmp_path / "attic").mkdir()
    (tmp_path / "key").write_text("not a key")

    def said(*words: Any, code: int = 0) -> str:
        found = running.cli(*words)
        assert found.returncode == code, (words, found.stdout, found.stderr)
        return found.stdout + found.stderr

    assert "hosts add" in said("hosts", "list")
    unreachable = said(
        "hosts",
        "add",
        "reed-9",
        "--address",
        "127.0.0.1",
        "--port",
        "1",
        "--user",
        "root",
        "--private-key-file",
        str(tmp_path / "key"),
        code=1,
    )
    assert "connect: Nothing answers at 127.0.0.1, port 1" in unreachable
    assert said("hosts", "show", "reed-9", code=5), "what does not answer is not saved"
    assert "--dkim" in said("hosts", "add", "reed-1", "--dkim", "/etc/keys", code=2)
    assert "{account}" in said("hosts", "add", "reed-1", "--homes", "/home/x", code=2)
    said(
        "hosts",
        "add",
        "reed-1",
        "--homes",
        f"{valley}/{{account}}",
        "--roots",
        f"{valley}/{{account}}/sites/{{site}}",
    )
    assert "no rule" not in said("hosts", "show", "reed-1")
    found = said("hosts", "find", "reed-1")
    assert "+ ferryline: new; site ferryline.example" in found and "accept reed-1 --all" in found
    assert "Name them with --account" in said("hosts", "accept", "reed-1", code=2)
    assert "Accepted 1 account" in said("hosts", "accept", "reed-1", "--account", "millpond")
    assert "Accepted 1 account" in said("hosts", "accept", "reed-1", "--all")
    assert "No changes" in said("hosts", "find", "reed-1")

    bare = said("coverage", "list", code=1)
    assert bare.count("■ no job") == 2 and "millpond.example" in bare
    said("stores", "add", "attic", "--kind", "folder", "--folder", str(tmp_path / "attic"))
    assert "not a pattern" in said(
        "jobs", "add", "nightly", "--store", "attic", "--exclude", "!", code=2
    )
    assert "is not a size" in said(
        "jobs", "add", "nightly", "--store", "attic", "--larger-than", "big", code=2
    )
    assert "--note: “disk”" in said(
        "jobs", "add", "nightly", "--store", "attic", "--note", "disk", code=2
    )
    assert "exclude each other" in said(
        "jobs", "add", "nightly", "--accounts", "all", "--hosts", "all", code=2
    )
    made = said(
        "jobs",
        "add",
        "nightly",
        "--store",
        "attic",
        "--exclude-set",
        "caches",
        "--exclude",
        "*.bak",
        "--older-than",
        "3650",
        "--contents",
        "files,notes",
        "--note",
        "who=echo {account}",
        "--before",
        "true",
        "--mode",
        "incremental",
    )
    assert "files (without caches, what 1 pattern matches and those older than 3,650 days)" in made
    assert "stores only what changed" in made
    assert "never" in said("coverage", "list", "--state", "trouble")
    measured = said("jobs", "preview", "nightly", "millpond")
    assert "5 entries, 400 B" in measured and "**/cache/**" in measured
    assert (
        json.loads(said("jobs", "preview", "nightly", "millpond", "--json"))["saved"][0]["bytes"]
        == 900
    )
    assert "There is no account “nobody”" in said("jobs", "preview", "nightly", "nobody", code=5)
    for words in ((), ("--full",), ("--compare",)):
        said("start", "nightly", "--wait", *words)
    assert "All" not in said("coverage", "list", "--state", "trouble")
    newest = json.loads(said("bundles", "list", "--subject", "millpond", "--json"))[0]["id"]
    assert "what changed (incremental)" in said("bundles", "show", str(newest))
    for form in ("tar.zst", "zip"):
        assert "whole and checked" in said(
            "bundles", "download", str(newest), "--as", form, "--to", str(tmp_path / f"x.{form}")
        )
    said("accounts", "change", "millpond", "--exclude", "/private/", "--exclude", "*.tmp")
    assert "/private/" in said("accounts", "show", "millpond")
    text = said("definitions", "export")
    assert 'excludes = [\n    "/private/",\n    "*.tmp",\n]' in text
    (tmp_path / "defs.toml").write_text(text)
    assert "0 changed, 5 the same" in said("definitions", "apply", str(tmp_path / "defs.toml"))
    assert "needs confirmation" in said("accounts", "remove", "millpond", "--with-bundles", code=2)
    assert "Its bundles were removed" in said(
        "accounts", "remove", "millpond", "--with-bundles", "--yes"
    )
    assert json.loads(said("bundles", "list", "--subject", "millpond", "--json")) == []


def test_wrong_use_is_answered_with_what_was_meant(running: Service) -> None:
    def said(*words: Any) -> str:
        found = running.cli(*words)
        assert found.returncode == 2, found.stdout
        return found.stderr

    assert "Did you mean “fasciculus start”?" in said("strat")
    for words, meant in (
        (("jobs", "delete", "x"), "jobs remove"),
        (("hosts", "create"), "hosts add"),
        (("run", "nightly"), "start"),
        (("backups", "list"), "bundles"),
        (("login",), "sign-in"),
    ):
        assert f"Did you mean “fasciculus {meant}”?" in said(*words)
    assert "Did you mean zstd?" in said("jobs", "add", "n", "--compression", "zsdt")
    assert "'NAME'" in said("jobs", "show")
    assert "--kep" in said("jobs", "add", "n", "--kep", "3")
    chosen = said("jobs", "add", "n", "--store", "attic", "--contents", "files,databses")
    assert chosen.startswith("fasciculus: --contents: Choose one of files, databases")
    assert "Did you mean databases?" in chosen
    problem = json.loads(said("hosts", "add", "reed-1", "--dkim", "/x", "--json"))
    assert problem["field"] == "--dkim" and "{domain}" in problem["error"]
    assert "Usage" not in said("jobs", "lst")


def test_no_password_goes_to_what_is_not_fasciculus(running: Service, tmp_path: Path) -> None:
    """Another program listens at the address: it is asked who it is, and told nothing."""
    asked = []

    class Stranger(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            asked.append(self.path)
            self.send_response(200)
            self.end_headers()
            self.wfile.write(b'{"status": "well"}x')

        do_POST = do_GET

        def log_message(self, *_: Any) -> None:
            pass

    (tmp_path / "password").write_text("sedge-and-quill\n")
    with ThreadingHTTPServer(("127.0.0.1", 0), Stranger) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        url = f"http://127.0.0.1:{server.server_port}"
        words = ("sign-in", "--password-file", str(tmp_path / "password"))
        found = running.cli(*words, env={"FASCICULUS_URL": url})
        server.shutdown()
    assert found.returncode == 3 and f"The server at {url} is not Fasciculus" in found.stderr
    assert asked == ["/health"]


def test_a_wrong_password_and_a_wrong_option_say_what_helps(
    running: Service, tmp_path: Path
) -> None:
    password = tmp_path / "password"
    password.write_text("wrong")
    said = running.cli("sign-in", "--password-file", str(password))
    assert said.returncode == 4 and "The name or the password is wrong." in said.stderr
    assert "admin reset-password" in said.stderr and "Run “fasciculus sign-in”" not in said.stderr
    said = running.cli("hosts", "add", "reed-9", "--root", "/home/{account}/sites/{site}")
    assert said.returncode == 2 and "Did you mean --roots?" in said.stderr, said
    said = running.cli("hosts", "add", "reed-9", "--tides", "x")
    assert said.returncode == 2 and "With --help it lists its options." in said.stderr
