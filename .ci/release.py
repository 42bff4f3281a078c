"""Prepare a release: version, changelog, wheel and checksums. Called by ``make release``.

It changes files and builds into ``dist/``; committing and tagging are left to the person, who is
shown the commands.
"""

from __future__ import annotations

import hashlib
import re
import subprocess
import sys
from datetime import date
from pathlib import Path

ROOT = Path(__file__).parents[1]
VERSION_FILE = ROOT / "src/fasciculus/__init__.py"
CHANGELOG = ROOT / "CHANGELOG.md"
DIST = ROOT / "dist"


def released(changelog: str, version: str, day: date) -> str:
    """Return the changelog with a date on the version's unreleased section.

    Raises ``ValueError`` if it has no such section.
    """
    heading = f"## {version} (unreleased)"
    if heading not in changelog:
        raise ValueError(f"CHANGELOG.md has no section “{heading}”: write one first.")
    return changelog.replace(heading, f"## {version} ({day.isoformat()})")


def with_version(source: str, version: str) -> str:
    """Return the source of the package with another ``__version__``."""
    return re.sub(r'^__version__ = ".*"$', f'__version__ = "{version}"', source, flags=re.M)


def sums(files: list[Path]) -> str:
    """Return a file for ``sha256sum -c``."""
    return "".join(
        f"{hashlib.sha256(path.read_bytes()).hexdigest()}  {path.name}\n" for path in files
    )


def main(version: str) -> None:
    """Prepare the release, or end with a sentence that says what is missing."""
    if not re.fullmatch(r"\d+\.\d+\.\d+", version):
        sys.exit("Give the version: make release VERSION=1.2.3")
    status = ["git", "-C", str(ROOT), "status", "--porcelain"]
    if subprocess.run(status, check=True, capture_output=True).stdout:
        sys.exit("There are uncommitted changes. Commit them first.")
    try:
        changelog = released(CHANGELOG.read_text("utf-8"), version, date.today())
    except ValueError as error:
        sys.exit(str(error))
    CHANGELOG.write_text(changelog, "utf-8")
    VERSION_FILE.write_text(with_version(VERSION_FILE.read_text("utf-8"), version), "utf-8")
    for old in DIST.glob("*"):
        old.unlink()
    subprocess.run(["make", "-C", str(ROOT), "generate", "wheel"], check=True)
    (DIST / "SHA256SUMS").write_text(sums(sorted(DIST.glob("*.whl"))), "utf-8")
    print(f"dist/ has the wheel and its checksum. If all is well:\n\n    git commit -am {version}")
    print(f"    git tag {version}")


if __name__ == "__main__":
    main(sys.argv[1] if len(sys.argv) > 1 else "")
