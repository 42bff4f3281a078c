"""Names inside a store."""

from datetime import UTC, datetime

import pytest

from fasciculus.core.bundle import layout
from fasciculus.core.bundle.layout import bundle_of
from fasciculus.core.errors import SettingError

BUNDLE = "2026-11-24T021500Z-nightly"


def test_the_bundle_of_a_piece():
    assert (
        bundle_of("2026-11-24T021500Z-nightly.files-0001.tar.zst") == "2026-11-24T021500Z-nightly"
    )
    assert (
        bundle_of("2026-11-24T021500Z-a.files-x.2.notes-12345.tar")
        == "2026-11-24T021500Z-a.files-x.2"
    )


def test_names_are_safe_and_sort_by_time():

    moment = datetime(2026, 11, 24, 2, 15, tzinfo=UTC)
    first = layout.bundle_name(moment, "nightly")
    assert first == BUNDLE and layout.bundle_name(moment, "nightly", {first}) == BUNDLE + ".2"
    assert (
        layout.moment_of(BUNDLE)
        == moment
        < layout.moment_of(BUNDLE + ".2")
        < layout.moment_of(BUNDLE + ".10")
    )
    later = layout.bundle_name(
        moment, "nightly", {BUNDLE + ".2", BUNDLE + ".9", BUNDLE + "-two.99"}
    )
    assert later == BUNDLE + ".10", "never one that is free again, since it would count as older"
    for bad in ("", "../x", "A", "a/b", "-a", "a b", "x" * 65, "a..b"):
        with pytest.raises(SettingError):
            layout.check_name(bad)
