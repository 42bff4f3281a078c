"""Checks before a commit, and the release script."""

from __future__ import annotations

import re
from datetime import date
from importlib.util import module_from_spec, spec_from_file_location
from pathlib import Path
from typing import Any

import pytest

from fasciculus import __version__

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def release() -> Any:
    spec = spec_from_file_location("release", ROOT / ".ci/release.py")
    found = module_from_spec(spec)
    spec.loader.exec_module(found)
    return found


def test_a_commit_is_checked_as_make_check_does() -> None:
    checks = re.findall(r"^\t\$\(call timed,([\w-]+),", (ROOT / "Makefile").read_text(), re.M)
    hooked = (ROOT / ".pre-commit-config.yaml").read_text()
    hooks = re.findall(r"^      - id: ([\w-]+)", hooked, re.M)
    assert hooks == checks and len(checks) > 5


def test_each_test_that_the_documents_name_is_there() -> None:
    named = []
    for page in [ROOT / "CONTRIBUTING.md", *sorted((ROOT / "docs").rglob("*.md"))]:
        places = r"`(?:tests/)?((?:[a-z_]+/)*test_\w+\.py)(?:::(\w+))?`"
        named += [(page.name, *place) for place in re.findall(places, page.read_text())]
    gone = [
        row
        for row in named
        if not (ROOT / "tests" / row[1]).is_file()
        or row[2] not in (ROOT / "tests" / row[1]).read_text()
    ]
    assert not gone and len(named) > 20


def test_a_release_has_one_version_and_a_date(release: Any, tmp_path: Path) -> None:
    changelog = (ROOT / "CHANGELOG.md").read_text()
    unreleased = re.search(r"^## ([\d.]+) \(unreleased\)$", changelog, re.M)
    if unreleased:
        done = release.released(changelog, unreleased[1], date(2026, 12, 1))
        assert f"## {unreleased[1]} (2026-12-01)" in done and "(unreleased)" not in done
    with pytest.raises(ValueError, match=r"no section “## 9\.9\.9 \(unreleased\)”"):
        release.released(changelog, "9.9.9", date(2026, 12, 1))
    source = release.with_version((ROOT / "src/fasciculus/__init__.py").read_text(), "9.9.9")
    assert '__version__ = "9.9.9"' in source and __version__ not in source
    (tmp_path / "x.whl").write_bytes(b"wheel")
    line = release.sums([tmp_path / "x.whl"])
    assert re.fullmatch(r"[0-9a-f]{64}  x\.whl\n", line)
