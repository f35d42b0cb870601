"""The house's own authority and the certificates that it signs: who belongs to the house, until when.

Keys never leave the machine they were made on.  Whoever has a certificate of
the authority can run code as the user of hub and stations: that is said in
the documentation, and there is no weaker kind.
"""

from __future__ import annotations

import hashlib
import os
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import NamedTuple

from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from chronocast.model.errors import ChronocastError
from chronocast.model.house import named

AUTHORITY_DAYS, MEMBER_DAYS = 3650, 365
RENEW_DAYS = 60
"""A certificate that is good for fewer days than that is renewed."""
SKEW = timedelta(hours=26)
"""Clocks of one house may differ, and be set to the wrong day."""
KINDS = ("hub", "station", "desktop")


class CertificateError(ChronocastError):
    """A key or certificate isn't there, or is no good."""


class Files(NamedTuple):
    """Where a machine keeps its own key and certificate, and its house's authority."""

    authority: Path
    certificate: Path
    key: Path

    @classmethod
    def within(cls, folder: Path) -> Files:
        """Those of a folder."""
        return cls(folder / "authority.pem", folder / "own.pem", folder / "own.key")

    @property
    def there(self) -> bool:
        """Whether all of them exist."""
        return all(path.is_file() for path in self)


class Member(NamedTuple):
    """Who a certificate says that somebody is, and until when."""

    name: str
    kind: str
    until: datetime

    @property
    def days_left(self) -> float:
        """For how many days it is still good."""
        return (self.until - datetime.now(UTC)) / timedelta(days=1)


def write_privately(path: Path, content: bytes) -> None:
    """Write a file that only its owner can read: whole, or not at all.

    Parameters
    ----------
    path
        The file.
    content
        What is in it.
    """
    path.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    temporary = path.with_name(f".{path.name}.{os.getpid()}")
    handle = os.open(temporary, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "wb") as file:
        file.write(content)
        file.flush()
        os.fsync(file.fileno())
    temporary.replace(path)


def new_key() -> tuple[ec.EllipticCurvePrivateKey, bytes]:
    """A new private key (NIST P-256), and its PEM."""
    key = ec.generate_private_key(ec.SECP256R1())
    text = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    return key, text


def _title(name: str, kind: str) -> x509.Name:
    return x509.Name(
        [
            x509.NameAttribute(NameOID.COMMON_NAME, name),
            x509.NameAttribute(NameOID.ORGANIZATIONAL_UNIT_NAME, kind),
        ]
    )


def _draft(
    title: x509.Name, issuer: x509.Name, public: ec.EllipticCurvePublicKey, until: datetime
) -> x509.CertificateBuilder:
    """What every certificate says: whose it is, who signs it, from yesterday until when."""
    return (
        x509.CertificateBuilder()
        .subject_name(title)
        .issuer_name(issuer)
        .public_key(public)
        .serial_number(x509.random_serial_number())
        .not_valid_before(min(datetime.now(UTC), until) - SKEW)
        .not_valid_after(until)
    )


def make_authority(folder: Path, days: float = AUTHORITY_DAYS) -> None:
    """Make a house's authority: its key and certificate, in a folder of the hub.

    Parameters
    ----------
    folder
        Where ``authority.key`` and ``authority.pem`` are to be.
    days
        How long it is good.
    """
    key, text = new_key()
    title, now = _title("Chronocast house", "authority"), datetime.now(UTC)
    usage = x509.KeyUsage(
        digital_signature=True,
        key_cert_sign=True,
        crl_sign=True,
        content_commitment=False,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        encipher_only=False,
        decipher_only=False,
    )
    certificate = (
        _draft(title, title, key.public_key(), now + timedelta(days=days))
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(usage, critical=True)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .sign(key, hashes.SHA256())
    )
    write_privately(folder / "authority.key", text)
    write_privately(folder / "authority.pem", certificate.public_bytes(serialization.Encoding.PEM))


def wish_for(name: str, kind: str) -> tuple[bytes, bytes]:
    """A new key, and a signing request for it.

    Parameters
    ----------
    name, kind
        Who wishes to belong to the house, and as what.

    Returns
    -------
    tuple
        The key's PEM, the request's PEM.
    """
    key, text = new_key()
    wish = x509.CertificateSigningRequestBuilder().subject_name(_title(named(name), kind))
    return text, wish.sign(key, hashes.SHA256()).public_bytes(serialization.Encoding.PEM)


def sign(folder: Path, wish: bytes, name: str, kind: str, days: float = MEMBER_DAYS) -> bytes:
    """Sign a request: what it says of its own name and kind doesn't count.

    Parameters
    ----------
    folder
        Where the authority is.
    wish
        The request's PEM.
    name, kind
        Who is to belong to the house, and as what.
    days
        How long the certificate is good.

    Raises
    ------
    CertificateError
        The request, or the authority, is no good.
    """
    if kind not in KINDS:
        raise CertificateError(f"“{kind}” is nothing that a machine can be in a house.")
    try:
        request = x509.load_pem_x509_csr(wish)
        key = serialization.load_pem_private_key((folder / "authority.key").read_bytes(), None)
        authority = x509.load_pem_x509_certificate((folder / "authority.pem").read_bytes())
        title = _title(named(name), kind)
    except (OSError, ValueError) as error:
        raise CertificateError(f"No certificate can be signed: {error}.") from error
    public = request.public_key()
    right = isinstance(public, ec.EllipticCurvePublicKey) and isinstance(key, ec.EllipticCurvePrivateKey)
    if not right or not request.is_signature_valid:
        raise CertificateError("No certificate can be signed: the request isn't signed by its own key.")
    assert isinstance(public, ec.EllipticCurvePublicKey) and isinstance(key, ec.EllipticCurvePrivateKey)
    until = min(datetime.now(UTC) + timedelta(days=days), authority.not_valid_after_utc)
    certificate = (
        _draft(title, authority.subject, public, until)
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(
            x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH, ExtendedKeyUsageOID.CLIENT_AUTH]),
            critical=False,
        )
        .add_extension(
            x509.AuthorityKeyIdentifier.from_issuer_public_key(authority.public_key()),  # type: ignore[arg-type]
            critical=False,
        )
        .sign(key, hashes.SHA256())
    )
    return certificate.public_bytes(serialization.Encoding.PEM)


def fingerprint(authority: bytes) -> bytes:
    """The fingerprint of an authority's certificate (SHA-256 of its DER form).

    Parameters
    ----------
    authority
        Its PEM.

    Raises
    ------
    CertificateError
        That is none.
    """
    try:
        certificate = x509.load_pem_x509_certificate(authority)
    except ValueError as error:
        raise CertificateError("What the hub sent is no certificate.") from error
    return hashlib.sha256(certificate.public_bytes(serialization.Encoding.DER)).digest()


def member(certificate: bytes) -> Member:
    """Who a certificate is for.

    Parameters
    ----------
    certificate
        Its PEM.

    Raises
    ------
    CertificateError
        That is none.
    """
    try:
        read = x509.load_pem_x509_certificate(certificate)
        name = read.subject.get_attributes_for_oid(NameOID.COMMON_NAME)[0].value
        kind = read.subject.get_attributes_for_oid(NameOID.ORGANIZATIONAL_UNIT_NAME)[0].value
    except (ValueError, IndexError) as error:
        raise CertificateError("That is no certificate of a house.") from error
    return Member(str(name), str(kind), read.not_valid_after_utc)


def own_member(folder: Path) -> Member:
    """Who this machine is in its house.

    Parameters
    ----------
    folder
        Where its key and certificate are.

    Raises
    ------
    CertificateError
        It belongs to no house, or its certificate is no good any more.
    """
    files = Files.within(folder)
    if not files.there:
        raise CertificateError("This machine belongs to no house.", "Join one with a code of its hub.")
    try:
        found = member(files.certificate.read_bytes())
    except OSError as error:
        raise CertificateError(f"This machine's certificate can't be read: {error}.") from error
    if found.days_left <= 0:
        raise CertificateError(
            f"This machine's certificate expired on {found.until:%Y-%m-%d}.",
            "Join the house again with a new code.",
        )
    return found
