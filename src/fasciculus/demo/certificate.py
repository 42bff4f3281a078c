"""A key and a certificate for loopback that no authority signed."""

from __future__ import annotations

import ipaddress
import os
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID


def certificate(path: Path) -> Path:
    """Return a PEM file with both, created if missing; valid for ten years."""
    if path.exists():
        return path
    path.parent.mkdir(parents=True, exist_ok=True)
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "cellar.heronmere.example")])
    now = datetime.now(UTC)
    address = x509.IPAddress(ipaddress.ip_address("127.0.0.1"))
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - timedelta(days=1))
        .not_valid_after(now + timedelta(days=3650))
        .add_extension(x509.SubjectAlternativeName([address]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    descriptor = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(descriptor, "wb") as sink:
        sink.write(
            key.private_bytes(
                serialization.Encoding.PEM,
                serialization.PrivateFormat.PKCS8,
                serialization.NoEncryption(),
            )
            + made.public_bytes(serialization.Encoding.PEM)
        )
    return path


def public_part(path: Path) -> str:
    """Return the certificate of a PEM file alone, as the settings of a store take it."""
    text = path.read_text()
    return text[text.index("-----BEGIN CERTIFICATE") :]
