"""Everything that a person sets, out and back again as one text."""

from __future__ import annotations

from pathlib import Path

from running import Service, run, service, set_up, sftp_store, small_account
from web_hook import webhook

from fasciculus.demo.sftp import SftpStandIn
from fasciculus.models import (
    DiscoveryRules,
    HostInput,
    MailServer,
    Rules,
    WatchSettings,
)


def test_definitions_go_out_and_come_back_the_same(
    running: Service, stand_in: SftpStandIn, tmp_path: Path
) -> None:
    with running.client() as client:
        set_up(
            client,
            [small_account(tmp_path, "millpond")],
            [sftp_store(stand_in)],
            rules=Rules(sets=["logs"]),
        )
        text = client.definitions_export()
        assert stand_in.password not in text and "FASCICULUS_STORES_BOATHOUSE_PASSWORD" in text
        done = client.definitions_apply(text)
        assert done.changes == [] and done.same == 4
    other = tmp_path / "defs.toml"
    other.write_text(text.replace('timetable = "by hand"', 'timetable = "daily 03:30"'))
    with service(tmp_path / "second-home") as second, second.client() as client:
        dry = second.cli("definitions", "apply", str(other), "--dry-run")
        assert dry.returncode == 0 and "4 would change" in dry.stdout, dry
        assert "stores.boathouse.password is needed when this is applied" in dry.stdout
        lacking = second.cli("definitions", "apply", str(other))
        assert (
            lacking.returncode == 2
            and "FILE: The secret stores.boathouse.password cannot be found" in lacking.stderr
        ), lacking
        secret = {"FASCICULUS_STORES_BOATHOUSE_PASSWORD": stand_in.password}
        dry = second.cli("definitions", "apply", str(other), "--dry-run", env=secret)
        assert dry.returncode == 0 and "4 would change, 0 the same" in dry.stdout, dry.stderr
        assert client.jobs_list().total == 0, "a dry run changes nothing"
        assert "4 changed" in second.cli("definitions", "apply", str(other), env=secret).stdout
        again = second.cli("definitions", "apply", str(other), env=secret)
        assert "0 changed, 4 the same" in again.stdout
        assert client.jobs_show("nightly").rules.sets == ["logs"]
        assert run(client, "nightly").outcome == "failed", "the first service uses that store"
        assert second.cli("stores", "claim", "boathouse", "--yes").returncode == 0
        assert run(client, "nightly").outcome == "done", "the secret came along"
        other.write_text(
            other.read_text().replace("03:30", "04:45")
            + '\n[accounts."Bad Name"]\nhost = "reed-1"\n'
        )
        wrong = second.cli("definitions", "apply", str(other), env=secret)
        assert wrong.returncode == 2 and "accounts.Bad Name" in wrong.stderr
        assert client.jobs_show("nightly").timetable == "daily 03:30", "all or nothing"
        secret["FASCICULUS_STORES_BOATHOUSE_PASSWORD"] = "changed-since"
        other.write_text(text)
        dry = second.cli("definitions", "apply", str(other), "--dry-run", env=secret)
        assert (
            "~ store boathouse: secrets.password" in dry.stdout
            and "changed-since" not in dry.stdout
        )


def test_definitions_have_everything_that_a_person_sets(running: Service, tmp_path: Path) -> None:
    address = "https://chat.sedge-quill.example/hooks/very-secret"
    with running.client() as client:
        # It refers to a store before the first one is added.
        words = '{"text": {{ message.stores[0].name | tojson }}}'
        client.channels_save(webhook("chat", address, "whsec_x1", template=words))
        mail = MailServer(
            address="mail.sedge-quill.example",
            user="reports",
            password="mail-secret",
            sender="reports@sedge-quill.example",
            fallback_channel="chat",
        )
        client.mail_change(mail)
        client.watch_change(
            WatchSettings(
                recipients=["duty@sedge-quill.example"], channels=["chat"], quiet="22:00-06:00"
            )
        )
        words = client.templates_show("report.txt").shipped + "\nAsk the duty.\n"
        client.templates_change("report.txt", words)
        client.hosts_add(
            HostInput(name="reed-1", discovery=DiscoveryRules(homes=["/home/{account}"]))
        )
        text = client.definitions_export()
        assert not any(secret in text for secret in ("very-secret", "whsec_x1", "mail-secret"))
        done = client.definitions_apply(text)
        assert done.changes == [] and done.same == 5, done
    secrets = {
        "FASCICULUS_CHANNELS_CHAT_URL": address,
        "FASCICULUS_CHANNELS_CHAT_SECRET": "whsec_x1",
        "FASCICULUS_SETTINGS_MAIL_PASSWORD": "mail-secret",
    }
    path = tmp_path / "all.toml"
    path.write_text(text)
    with service(tmp_path / "second-home") as second, second.client() as client:
        dry = second.cli("definitions", "apply", str(path), "--dry-run")
        assert dry.returncode == 0 and "5 would change" in dry.stdout, dry
        assert "channels.chat.url is needed" in dry.stdout
        assert client.channels_list().total == 0
        refused = second.cli("definitions", "apply", str(path))
        assert "channels.chat." in refused.stderr and "cannot be found" in refused.stderr
        assert "5 changed" in second.cli("definitions", "apply", str(path), env=secrets).stdout
        assert client.definitions_export() == text
        assert client.mail_show().password_set and client.channels_list().items[0].secrets_set
        assert client.templates_show("report.txt").text == words
        assert client.hosts_show("reed-1").discovery.homes == ["/home/{account}"]
        changed = {**secrets, "FASCICULUS_SETTINGS_MAIL_PASSWORD": "another"}
        dry = second.cli("definitions", "apply", str(path), "--dry-run", env=changed)
        assert "~ setting mail: secrets.password" in dry.stdout, dry
        # What is stored stays where the text is applied without it.
        assert "0 changed" in second.cli("definitions", "apply", str(path)).stdout
        for line, words in (
            ('[settings.mail]\npassword = "written"', "settings.mail: “password” is written out"),
            ("[settings.tides]", "settings.tides: There are no settings “tides”"),
            ('[settings.watch]\nquiet = "always"', "settings.watch"),
            ('[templates."report.doc"]\ntext = ""', "There is no template report.doc"),
            ('[templates."report.txt"]\ntext = "{{ no.such }}"', "templates.report.txt"),
            ("[channels.chat]\nform = 'template'", "channels.chat"),
        ):
            path.write_text(line + "\n")
            said = second.cli("definitions", "apply", str(path), "--dry-run")
            assert (
                said.returncode == 2 and f"FILE: {words}" in said.stderr
            ) or words in said.stderr, said
