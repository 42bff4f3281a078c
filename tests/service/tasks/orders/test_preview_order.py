"""Orders of previews."""

from __future__ import annotations

from typing import Any

from sample_records import MILLPOND, SampleRecords, piece

from fasciculus.contracts.orders import PreviewOrder
from fasciculus.core.bundle.manifest import ContentsCount
from fasciculus.service.tasks.orders.preview import preview_order


def order(
    heronmere: SampleRecords, subject: tuple[Any, ...] = MILLPOND, **fields: Any
) -> PreviewOrder:
    return preview_order(heronmere.sources, heronmere.job(**fields), *subject, 9)  # type: ignore[call-arg]


def test_a_subject_that_has_no_bundle_yet(heronmere: SampleRecords) -> None:
    heronmere.account("ferryline", excludes=["*.bak"])
    found = order(heronmere, ("account", "ferryline"), rules={"excludes": ["tmp/"]})
    assert found.rules.excludes == ("tmp/", "*.bak")
    assert (found.listing, found.ratio) == (None, 0.0)
    assert found.spool == str(heronmere.config.spool / "preview-9")
    assert found.host.name == "reed-1" and str(heronmere.config.home) in found.own_folders


def test_what_is_new_is_since_the_jobs_own_last_bundle(heronmere: SampleRecords) -> None:
    name = heronmere.bundle(0)
    heronmere.bundle(1, job="other")
    assert order(heronmere).listing == str(heronmere.config.listing(*MILLPOND, name))


def test_how_well_files_packed_is_taken_from_any_bundle_that_has_them(
    heronmere: SampleRecords,
) -> None:
    pieces = (piece("b.files-0001.tar.zst", 250), piece("b.mail-0001.tar.zst", 900))
    contents = {"files": ContentsCount(1, 1000), "mail": ContentsCount(1, 1000)}
    heronmere.bundle(0, job="other", pieces=pieces, contents=contents)
    heronmere.bundle(1, job="mail", contents={"mail": ContentsCount(1, 10)})
    assert order(heronmere).ratio == 0.25


def test_nothing_packed_is_no_ratio(heronmere: SampleRecords) -> None:
    heronmere.bundle(0, contents={"files": ContentsCount(1, 0)})
    assert order(heronmere).ratio == 0.0


def test_databases_that_the_rules_want(heronmere: SampleRecords) -> None:
    found = order(heronmere, databases={"names": ["mill_*"]}, contents=["files", "databases"])
    assert [database.name for database in found.databases] == ["mill_blog", "mill_shop"]
    assert found.contents == ["files", "databases"]
