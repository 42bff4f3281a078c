"""Orders of restores, and refused targets."""

from __future__ import annotations

from typing import Any

import pytest
from sample_records import MILLPOND, SampleRecords, bundle_of

from fasciculus.contracts.orders import RestoreOrder
from fasciculus.core.errors import SettingError
from fasciculus.models import Restore
from fasciculus.records.runs import maintenance
from fasciculus.service.tasks.orders.connections import local_stores
from fasciculus.service.tasks.orders.restore import check_target, restore_order


def order(heronmere: SampleRecords, **fields: Any) -> RestoreOrder:
    given = {
        "id": 4,
        "subject_kind": "account",
        "subject": "millpond",
        "bundle": "2026-11-01T021500Z-nightly",
        "bundle_id": 1,
        "store": "boathouse",
        "contents": ["files"],
        "paths": [],
        "target": "/srv/back",
        "databases": {},
        "mail_domains": [],
        "state": "queued",
        "started_by": "test",
        "created": "2026-11-01T02:15:00+00:00",
        "outcome": None,
        "error": "",
        "entries": 0,
        "bytes": 0,
        "started": None,
        "ended": None,
        **fields,
    }
    return restore_order(heronmere.sources, Restore(**given))


def test_where_from_and_where_to(heronmere: SampleRecords) -> None:
    found = order(heronmere, paths=["site/index.html"], databases={"shop": "shop_2"})
    assert found.subject.ref().folder == "accounts/millpond" and found.subject.host == "reed-1"
    assert found.store.name == "boathouse" and found.store.secrets["password"] == "oar-and-rope"
    assert (found.target, found.paths) == ("/srv/back", ["site/index.html"])
    assert found.databases == {"shop": "shop_2"} and found.mail is None
    assert found.host.name == "reed-1"
    assert found.spool == str(heronmere.config.spool / "restore-4")


def test_mail_goes_to_the_hosts_own_files(heronmere: SampleRecords) -> None:
    heronmere.host("sedge-2", mail={"passwd_file": "/etc/dovecot/users"})
    heronmere.account("ferryline", host="sedge-2")
    found = order(heronmere, subject="ferryline", mail_domains=["ferry.example"])
    assert found.mail.domains == ["ferry.example"] and found.mail.messages
    assert found.mail.passwd_file == "/etc/dovecot/users"


def test_a_subject_that_is_gone_comes_back_all_the_same_but_not_its_mail(
    heronmere: SampleRecords,
) -> None:
    found = order(heronmere, subject="gone")
    assert (found.subject.host, found.host.name) == ("", "")
    with pytest.raises(SettingError) as caught:
        order(heronmere, subject="gone", mail_domains=["gone.example"])
    assert caught.value.sentence() == (
        "gone is on no host any more. Add the account again, then restore its mail settings."
    )


def test_a_host_and_an_account_of_one_name_are_told_apart(heronmere: SampleRecords) -> None:
    heronmere.host("millpond")
    assert order(heronmere).host.name == "reed-1"
    of_host = order(heronmere, subject_kind="host", contents=["system"])
    assert of_host.host.name == "millpond" and of_host.subject.ref().folder == "hosts/millpond"
    assert MILLPOND == ("account", "millpond")


@pytest.mark.parametrize("below", ["", "/x", "/../home/x", "/records/../x"])
@pytest.mark.parametrize("place", ["home", "attic"])
def test_a_restore_never_lands_in_what_the_service_uses(
    heronmere: SampleRecords, place: str, below: str
) -> None:
    stores = local_stores(heronmere.sources)
    (heronmere.folder / "attic").mkdir()
    target = f"{heronmere.folder / place}{below}"
    with pytest.raises(SettingError, match="which Fasciculus itself uses") as caught:
        check_target(heronmere.config, stores, target)
    assert caught.value.field == "target"


def test_nor_through_a_link(heronmere: SampleRecords) -> None:
    (heronmere.folder / "link").symlink_to(heronmere.config.home)
    with pytest.raises(SettingError, match="itself uses"):
        check_target(heronmere.config, [], str(heronmere.folder / "link/x"))


def test_other_folders_are_free(heronmere: SampleRecords) -> None:
    stores = local_stores(heronmere.sources)
    assert stores == [str(heronmere.folder / "attic")], "only stores of this machine"
    for target in (f"{heronmere.folder}/attic-2", f"{heronmere.folder}/home-2", "/srv/back"):
        check_target(heronmere.config, stores, target)


def test_the_copys_own_listing_is_what_counts(heronmere: SampleRecords) -> None:
    name = heronmere.bundle(0, on=("attic", "boathouse"))
    with heronmere.records.write() as db:
        made = bundle_of(0, listing_sha256="99" * 32).manifest
        maintenance.repacked(db, "attic", MILLPOND, name, made)
    for store, digest in (("attic", "99" * 32), ("boathouse", "00" * 32)):
        (copy,) = order(heronmere, bundle=name, store=store).store.recorded
        assert copy.listing_sha256 == digest
    assert order(heronmere, bundle="unknown").store.recorded == []
