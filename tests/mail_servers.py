"""Postfix, which delivers to Dovecot over LMTP, and Dovecot, which shows it by IMAP."""

from __future__ import annotations

import imaplib
import shutil
import smtplib
import subprocess
from collections.abc import Iterator
from contextlib import contextmanager
from email.message import EmailMessage
from pathlib import Path

from ports import free_port
from running import until

from fasciculus.models import MailFiles

_SERVICES = """\
{smtp} inet n - n - - smtpd
cleanup unix n - n - 0 cleanup
qmgr unix n - n 300 1 qmgr
rewrite unix - - n - - trivial-rewrite
bounce unix - - n - 0 bounce
defer unix - - n - 0 bounce
trace unix - - n - 0 bounce
proxymap unix - - n - - proxymap
lmtp unix - - n - - lmtp
error unix - - n - - error
retry unix - - n - - error
postlog unix-dgram n - n - 1 postlogd
"""


def program(name: str) -> str:
    found = shutil.which(name, path="/usr/sbin:/usr/bin")
    assert found, f"{name} is missing"
    return found


class MailServers:
    """Both servers, with their files below a folder. Nobody has a mailbox until a line says so."""

    def __init__(self, folder: Path) -> None:
        self.folder, self.smtp = folder, free_port()
        self.imap, self._lmtp = free_port(), free_port()
        self.virtual, self.users, self.vmail = (
            folder / name for name in ("virtual", "users", "vmail")
        )
        for name in ("queue", "data", "vmail"):
            (folder / name).mkdir(parents=True)
        # Postfix and the user of the mailboxes pass through.
        for above in (folder, *folder.parents):
            if len(above.parts) > 2:
                above.chmod(above.stat().st_mode | 0o055)
        shutil.chown(folder / "data", "postfix")
        (self.vmail).chmod(0o777)
        self.virtual.write_text("")
        self.users.write_text("")
        (folder / "main.cf").write_text(
            "compatibility_level = 3.6\nmail_owner = postfix\nmyhostname = reed-1.example\n"
            f"queue_directory = {folder}/queue\ndata_directory = {folder}/data\n"
            f"maillog_file = {folder}/postfix.log\nmaillog_file_prefixes = {folder}\n"
            "inet_interfaces = 127.0.0.1\ninet_protocols = ipv4\nmydestination =\n"
            "mynetworks = 127.0.0.0/8\nalias_maps =\nlocal_recipient_maps =\n"
            "virtual_mailbox_domains = millpond.example\nvirtual_mailbox_maps = static:all\n"
            f"virtual_alias_maps = hash:{folder}/virtual\n"
            f"virtual_transport = lmtp:inet:127.0.0.1:{self._lmtp}\n"
        )
        (folder / "master.cf").write_text(_SERVICES.format(smtp=f"127.0.0.1:{self.smtp}"))
        (folder / "dovecot.conf").write_text(
            f"base_dir = {folder}/run\nstate_dir = {folder}/state\n"
            f"log_path = {folder}/dovecot.log\nprotocols = imap lmtp\n"
            "ssl = no\nlisten = 127.0.0.1\ndisable_plaintext_auth = no\n"
            f"mail_location = maildir:~/Maildir\nfirst_valid_uid = 1\n"
            f"passdb {{\n driver = passwd-file\n args = {self.users}\n}}\n"
            f"userdb {{\n driver = passwd-file\n args = {self.users}\n}}\n"
            f"service imap-login {{\n inet_listener imap {{\n port = {self.imap}\n }}\n"
            " inet_listener imaps {\n port = 0\n }\n}\n"
            f"service lmtp {{\n inet_listener lmtp {{\n port = {self._lmtp}\n }}\n}}\n"
        )

    @contextmanager
    def running(self) -> Iterator[MailServers]:
        """Run both."""
        postfix = [program("postfix"), "-c", str(self.folder)]
        self.refresh()
        dovecot = subprocess.Popen(
            [program("dovecot"), "-F", "-c", str(self.folder / "dovecot.conf")]
        )
        try:
            subprocess.run([*postfix, "start"], check=True, capture_output=True)
            until(self._answers)
            yield self
        finally:
            subprocess.run([*postfix, "stop"], capture_output=True)
            dovecot.terminate()
            dovecot.wait(30)

    def _answers(self) -> bool:
        try:
            smtplib.SMTP("127.0.0.1", self.smtp, timeout=5).close()
            imaplib.IMAP4("127.0.0.1", self.imap, timeout=5).shutdown()
        except (OSError, imaplib.IMAP4.abort):
            return False
        return True

    def refresh(self) -> None:
        """Let Postfix see its map."""
        for command in self.commands:
            subprocess.run(command, shell=True, check=True, capture_output=True)

    @property
    def commands(self) -> list[str]:
        """The commands to run after a change of the files."""
        return [f"{program('postmap')} -c {self.folder} hash:{self.virtual}"]

    def files(self) -> MailFiles:
        """The settings, as a host describes them."""
        return MailFiles(
            alias_map=str(self.virtual),
            passwd_file=str(self.users),
            home=f"{self.vmail}/{{domain}}/{{user}}",
            refresh=self.commands,
        )

    def add(self, user: str, password: str, number: int) -> None:
        """Add a mailbox of millpond.example for a system user's number, with an alias info@."""
        box, home = f"{user}@millpond.example", self.vmail / "millpond.example" / user
        home.mkdir(parents=True)
        shutil.chown(home, number, number)
        with self.users.open("a") as rows:
            rows.write(f"{box}:{{PLAIN}}{password}:{number}:{number}::{home}::\n")
        with self.virtual.open("a") as rows:
            rows.write(f"info@millpond.example {box}\n")
        self.refresh()

    def send(self, to: str, subject: str) -> None:
        """Send a message by SMTP."""
        message = EmailMessage()
        message["From"], message["To"] = "ferry@lake.example", to
        message["Subject"] = subject
        message.set_content("Two jugs, please.\n")
        with smtplib.SMTP("127.0.0.1", self.smtp, timeout=30) as link:
            link.send_message(message)

    @property
    def logs(self) -> str:
        """The last lines that both servers wrote."""
        found = (self.folder / name for name in ("postfix.log", "dovecot.log"))
        lines = [path.read_text().splitlines()[-40:] for path in found if path.exists()]
        return "\n".join(line for rows in lines for line in rows if "writable" not in line)

    def subjects(self, user: str, password: str) -> list[str]:
        """The subjects in a mailbox, as IMAP shows them; none without a mailbox."""
        link = imaplib.IMAP4("127.0.0.1", self.imap, timeout=30)
        try:
            link.login(f"{user}@millpond.example", password)
            link.select("INBOX", readonly=True)
            _, (numbers, *_) = link.search(None, "ALL")
            found = []
            for number in numbers.split():
                _, parts = link.fetch(number, "(BODY[HEADER.FIELDS (SUBJECT)])")
                found.append(parts[0][1].decode().strip().removeprefix("Subject: "))
            return found
        except imaplib.IMAP4.error:
            return []
        finally:
            link.shutdown()
