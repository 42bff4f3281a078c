"""The settings of a host over SSH."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from ...kinds import Settings


class SshSettings(Settings):
    """A server reached over SSH; nothing is installed there."""

    kind: Literal["ssh"] = "ssh"
    address: str = Field(min_length=1, title="Address", examples=["reed-2.sedge-quill.example"])
    port: int = Field(default=22, ge=1, le=65535, title="Port")
    user: str = Field(min_length=1, title="User", examples=["root"])
    host_key: str = Field(
        default="",
        title="Accepted host key",
        description="The server’s fingerprint. Leave it empty to have a test show it, so that "
        "you can compare and accept it.",
        examples=["SHA256:…"],
    )

    unsafe_reading: bool = Field(
        default=False,
        title="Read without a safe way",
        description="If the host has no Python 3.7, root reads only by paths: a user who "
        "exchanges one of their folders for a link meanwhile may have other files read into "
        "the user's bundle. It must be allowed.",
    )

    def describe(self) -> str:
        """Return its place, in a few words for a list."""
        port = f":{self.port}" if self.port != 22 else ""
        return f"ssh {self.user}@{self.address}{port}"
