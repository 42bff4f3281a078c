"""Lines of mail files that a restore has replaced: put back to the byte, beside those of others."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from fasciculus.core import mail_config
from fasciculus.worker.restore.mail_lines import KeptMail, replaced_lines

OURS, OTHER = "millpond.example", "ferryline.example"
_words = st.sampled_from(["info", "hello", "Orders", "a b", "# note", ""])
_domains = st.sampled_from([OURS, OTHER, OURS.upper(), ""])
_rest = st.sampled_from([" x@y.example", "\t a, b", ":{PLAIN}x:1:1::/srv::", "", "\n  more lines"])
_lines = st.builds(lambda user, domain, rest: f"{user}@{domain}{rest}", _words, _domains, _rest)
_ends = st.sampled_from(["\n", ""])
_texts = st.builds(lambda rows, end: "\n".join(rows) + end, st.lists(_lines, max_size=8), _ends)


@pytest.mark.parametrize("what", ["aliases", "passwd"])
@given(before=_texts, bundled=_texts, later=st.sampled_from(["", f"late@{OTHER} z\n"]))
def test_undone_it_is_as_before(what: str, before: str, bundled: str, later: str) -> None:
    passwd = what == "passwd"
    own = mail_config.passwd_lines if passwd else mail_config.map_lines
    merge = mail_config.merged_passwd if passwd else mail_config.merged_map
    after = merge(before, OURS, own(bundled, OURS))
    row = replaced_lines("/etc/virtual", what, OURS, before, after)
    assert row.its_lines(after) == own(bundled, OURS)
    assert row.undone(after) == before, "to the byte"
    if later and (after.endswith("\n") or not after):
        found = row.undone(after + later)
        assert own(found, OURS) == own(before, OURS)
        assert own(found, OTHER) == own(after + later, OTHER), "others keep theirs"


def test_it_is_kept_before_anything_is_written(tmp_path: Path) -> None:
    kept = KeptMail(tmp_path / "side")
    assert not kept
    odd = "info@millpond.example caf\udce9\n"
    kept.add(replaced_lines("/etc/virtual", "aliases", OURS, odd, ""), ["postmap x"])
    assert (tmp_path / "side/mail.json").stat().st_mode & 0o777 == 0o600
    found = KeptMail(tmp_path / "side")
    found.load()
    assert found and found.__class__ is KeptMail
    nothing = KeptMail(tmp_path / "nowhere")
    nothing.load()
    assert not nothing
