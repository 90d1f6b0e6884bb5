"""Certificates for this machine: an authority of the workshop's own, made once, and what it signs.

A phone that trusts the authority trusts every certificate that follows, so that a new address or a renewal asks nobody
anything. Its certificate says that it may speak for private addresses and this machine's names only (name constraints,
RFC 5280 section 4.2.1.10), so that whoever steals its key cannot pose as anybody's bank.
"""

from __future__ import annotations

import hashlib
import ipaddress
import ssl
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from cryptography import x509
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

from meanbead.network.secrets import write_private

AUTHORITY_LASTS = timedelta(days=3650)
SERVER_LASTS = timedelta(days=395)
"""Phones refuse certificates that are to last much longer than this."""

RENEW_BEFORE = timedelta(days=30)

PRIVATE = ("127.0.0.0/8", "10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "100.64.0.0/10", "::1/128", "fc00::/7")


class CertificateError(RuntimeError):
    """A certificate cannot be used; the text says what to do."""


@dataclass(frozen=True)
class Certificate:
    """Files of a certificate and its key; ``authority`` is what phones have to trust, None for one of the user's own."""

    certificate: Path
    key: Path
    ends_at: datetime
    authority: Path | None = None
    fingerprint: str = ""


def own_certificate(folder: Path, names: list[str], addresses: list[str], at: datetime | None = None) -> Certificate:
    """This machine's certificate for names and addresses: the one that lies in ``folder`` while it fits, else a new one,
    signed by the authority there, which is made when there is none, or it ends."""
    at = at or datetime.now(UTC)
    authority_file, authority_key = folder / "authority.crt", folder / "authority.key"
    server_file, server_key = folder / "server.crt", folder / "server.key"
    authority = _loaded(authority_file)
    if authority is None or not authority_key.exists() or not _may_sign(authority, names, addresses, at):
        authority = _make_authority(authority_file, authority_key, names, addresses, at)
    server = _loaded(server_file)
    if server is None or not server_key.exists() or not _fits(server, authority, names, addresses, at):
        server = _make_server(server_file, server_key, authority, _key(authority_key), names, addresses, at)
    return Certificate(
        server_file, server_key, server.not_valid_after_utc, authority_file, fingerprint_of(authority_file)
    )


def given_certificate(certificate: Path, key: Path, at: datetime | None = None) -> Certificate:
    """A certificate of the user's own. Raises :class:`CertificateError` where it cannot be read, does not belong to its key,
    or has ended."""
    at = at or datetime.now(UTC)
    try:
        found = x509.load_pem_x509_certificate(certificate.read_bytes())
        ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER).load_cert_chain(certificate, key)
    except (OSError, ValueError, ssl.SSLError) as problem:
        raise CertificateError(
            f"{certificate} with {key} cannot be used ({problem}). Both have to be PEM files that belong together."
        ) from None
    if found.not_valid_after_utc <= at:
        raise CertificateError(
            f"{certificate} ended on {found.not_valid_after_utc:%Y-%m-%d}. Have it renewed, or leave --certificate out: "
            "Mean Bead then makes one itself."
        )
    if found.not_valid_before_utc > at:
        raise CertificateError(
            f"{certificate} is not valid before {found.not_valid_before_utc:%Y-%m-%d}. Is this machine's clock right?"
        )
    return Certificate(certificate, key, found.not_valid_after_utc)


def fingerprint_of(certificate: Path) -> str:
    """SHA-256 of a certificate, in pairs, as phones show it."""
    digest = hashlib.sha256(
        x509.load_pem_x509_certificate(certificate.read_bytes()).public_bytes(serialization.Encoding.DER)
    ).hexdigest()
    return ":".join(digest[at : at + 2] for at in range(0, 64, 2)).upper()


def _loaded(path: Path) -> x509.Certificate | None:
    try:
        return x509.load_pem_x509_certificate(path.read_bytes())
    except (OSError, ValueError):
        return None


def _key(path: Path) -> ec.EllipticCurvePrivateKey:
    key = serialization.load_pem_private_key(path.read_bytes(), None)
    if not isinstance(key, ec.EllipticCurvePrivateKey):
        raise CertificateError(f"{path} is not the key that Mean Bead made. Move it away and start again.")
    return key


def _fits(
    server: x509.Certificate, authority: x509.Certificate, names: list[str], addresses: list[str], at: datetime
) -> bool:
    if not server.not_valid_before_utc <= at < server.not_valid_after_utc - RENEW_BEFORE:
        return False
    try:
        server.verify_directly_issued_by(authority)
    except (InvalidSignature, ValueError, TypeError):
        return False
    held = server.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    return set(names) <= set(held.get_values_for_type(x509.DNSName)) and set(addresses) <= {
        str(address) for address in held.get_values_for_type(x509.IPAddress)
    }


def _may_sign(authority: x509.Certificate, names: list[str], addresses: list[str], at: datetime) -> bool:
    if not authority.not_valid_before_utc <= at < authority.not_valid_after_utc - SERVER_LASTS:
        return False
    permitted = authority.extensions.get_extension_for_class(x509.NameConstraints).value.permitted_subtrees or []
    held_names = {one.value for one in permitted if isinstance(one, x509.DNSName)}
    networks = [ipaddress.ip_network(str(one.value)) for one in permitted if isinstance(one, x509.IPAddress)]
    return set(names) <= held_names and all(
        any(ipaddress.ip_address(address) in network for network in networks) for address in addresses
    )


def _permitted(names: list[str], addresses: list[str]) -> x509.NameConstraints:
    networks = [ipaddress.ip_network(one) for one in PRIVATE]
    networks += [
        ipaddress.ip_network(one)
        for one in addresses
        if not any(ipaddress.ip_address(one) in network for network in networks)
    ]
    # Without a name of its own the machine is given one that nobody has: no entry at all would permit every name.
    subtrees = [*map(x509.DNSName, names or ["meanbead.local"]), *map(x509.IPAddress, networks)]
    return x509.NameConstraints(permitted_subtrees=subtrees, excluded_subtrees=None)


def _make_authority(
    file: Path, key_file: Path, names: list[str], addresses: list[str], at: datetime
) -> x509.Certificate:
    key = ec.generate_private_key(ec.SECP256R1())
    serial = x509.random_serial_number()
    # Two workshops' authorities must not bear one name: a phone would take one for the other.
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"Mean Bead workshop {serial & 0xFFFF:04x}")])
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(serial)
        .not_valid_before(at - timedelta(days=1))
        .not_valid_after(at + AUTHORITY_LASTS)
        .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
        .add_extension(_usage(sign_certificates=True), critical=True)
        .add_extension(_permitted(names, addresses), critical=True)
        .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
        .sign(key, hashes.SHA256())
    )
    _write(file, key_file, made, key)
    return made


def _make_server(
    file: Path,
    key_file: Path,
    authority: x509.Certificate,
    authority_key: ec.EllipticCurvePrivateKey,
    names: list[str],
    addresses: list[str],
    at: datetime,
) -> x509.Certificate:
    key = ec.generate_private_key(ec.SECP256R1())
    held = [*map(x509.DNSName, names), *(x509.IPAddress(ipaddress.ip_address(one)) for one in addresses)]
    shown = (names or addresses or ["Mean Bead"])[0]
    made = (
        x509.CertificateBuilder()
        .subject_name(x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, shown[:64])]))
        .issuer_name(authority.subject)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(at - timedelta(days=1))
        .not_valid_after(min(at + SERVER_LASTS, authority.not_valid_after_utc))
        .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
        .add_extension(x509.SubjectAlternativeName(held), critical=False)
        .add_extension(_usage(sign_certificates=False), critical=True)
        .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
        .add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(authority_key.public_key()), critical=False)
        .sign(authority_key, hashes.SHA256())
    )
    _write(file, key_file, made, key)
    return made


def _usage(*, sign_certificates: bool) -> x509.KeyUsage:
    return x509.KeyUsage(
        digital_signature=True,
        content_commitment=False,
        key_encipherment=False,
        data_encipherment=False,
        key_agreement=False,
        key_cert_sign=sign_certificates,
        crl_sign=sign_certificates,
        encipher_only=False,
        decipher_only=False,
    )


def _write(file: Path, key_file: Path, made: x509.Certificate, key: ec.EllipticCurvePrivateKey) -> None:
    private = key.private_bytes(
        serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption()
    )
    write_private(key_file, private)
    write_private(file, made.public_bytes(serialization.Encoding.PEM))
