"""An authority of the house: it vouches for this server to the phones that were told to believe it.

It is made once. It may vouch for addresses of houses and for the names that its owner gave, as a server, and for
nothing else: a phone that believes it believes it of nothing in the wide world, no letter and no program.
"""

import os
import ssl
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from ipaddress import IPv4Address, IPv4Network, ip_address
from pathlib import Path

from cryptography import x509
from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import ExtendedKeyUsageOID, NameOID

HOUSES = tuple(IPv4Network(of) for of in ("10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16", "169.254.0.0/16",
                                          "127.0.0.0/8"))
HOUSE_NAMES = ("localhost", "local", "lan", "home.arpa", "internal")

LASTS, SERVER_LASTS, RENEWED = timedelta(days=3650), timedelta(days=390), timedelta(days=30)
"""The authority, what it says of the server (phones take no longer), and how long before its end that is made anew."""

NOT_BEFORE = datetime(2026, 11, 1, tzinfo=UTC)
"""No certificate begins earlier, whatever a machine's dead clock says."""


class CannotVouch(ValueError):
    """The authority was made for other addresses or names: what was found and what was expected."""


@dataclass(frozen=True)
class Vouched:
    """The files of a server that is vouched for, and the certificate that phones are to believe with its mark."""

    certificate: Path
    key: Path
    authority: Path
    mark: str
    servers_alone: bool
    """Whether the authority may vouch for servers alone; those of the first releases may for letters too."""


def vouched(folder: Path, names: frozenset[str], addresses: list[str], now: datetime) -> Vouched:
    """See that this server is vouched for by these names and addresses. What is there is used; an authority is made
    where there is none, and what it says of the server anew where that ends soon or the addresses are others.

    Raises CannotVouch, OSError.
    """
    folder.mkdir(mode=0o700, exist_ok=True)
    authority_file, authority_key = folder / "authority.crt", folder / "authority.key"
    certificate, key = folder / "server.crt", folder / "server.key"
    if not (authority_file.exists() and authority_key.exists()):
        _make_authority(authority_file, authority_key, names, addresses, now)
    wrong = broken(folder)
    if wrong:
        raise CannotVouch(f"{wrong}; put the folder aside; each phone then accepts the new one")
    authority = x509.load_pem_x509_certificate(authority_file.read_bytes())
    wanted = {"localhost", "127.0.0.1", *names, *addresses}
    strange = sorted(of for of in wanted if not _may(authority, of))
    if strange:
        raise CannotVouch(f"{folder}: found an authority that may not vouch for {', '.join(strange)}, expected one "
                          "made for it; put the folder aside; each phone then accepts the new one")
    if not (key.exists() and certificate.exists() and _holds(certificate, authority, wanted, now)):
        _make_server(certificate, key, authority, authority_key, wanted, now)
    digest = authority.fingerprint(hashes.SHA256()).hex()[:16].upper()
    return Vouched(certificate, key, authority_file, "-".join(digest[n:n + 4] for n in range(0, 16, 4)),
                   _has(authority, x509.ExtendedKeyUsage))


def broken(folder: Path) -> str | None:
    """What is wrong with an authority that was made, in words; None where it is whole or there is none."""
    file, key_file = folder / "authority.crt", folder / "authority.key"
    if not (file.exists() and key_file.exists()):
        return None
    try:
        authority = x509.load_pem_x509_certificate(file.read_bytes())
        key = serialization.load_pem_private_key(key_file.read_bytes(), None)
        if key.public_key() != authority.public_key() or not _has(authority, x509.NameConstraints):
            return f"{file}: found another key's certificate, expected that of {key_file.name}"
    except (ValueError, TypeError, OSError) as error:
        return f"{folder}: found no authority that can be read ({error}), expected one"
    return None


def context(certificate: Path, key: Path) -> ssl.SSLContext:
    """How connections are kept from others' eyes. Raises ssl.SSLError, OSError where the two files are none."""
    made = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    made.minimum_version = ssl.TLSVersion.TLSv1_2
    made.load_cert_chain(certificate, key)
    return made


def _make_authority(file: Path, key_file: Path, names: frozenset[str], addresses: list[str], now: datetime) -> None:
    key = ec.generate_private_key(ec.SECP256R1())
    alone = [IPv4Network(of) for of in addresses if not any(IPv4Address(of) in house for house in HOUSES)]
    # A kind of name that is permitted nowhere but at a place that cannot be is forbidden.
    permitted = [x509.RFC822Name("nobody.invalid"), x509.UniformResourceIdentifier("nobody.invalid"),
                 *(x509.IPAddress(of) for of in (*HOUSES, *alone)),
                 *(x509.DNSName(of) for of in (*HOUSE_NAMES, *sorted(names)))]
    called = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, f"Voltaun of this house {os.urandom(3).hex()}")])
    begins = max(now, NOT_BEFORE)
    made = (x509.CertificateBuilder().subject_name(called).issuer_name(called).public_key(key.public_key())
            .serial_number(x509.random_serial_number()).not_valid_before(begins - timedelta(days=1))
            .not_valid_after(begins + LASTS)
            .add_extension(x509.BasicConstraints(ca=True, path_length=0), critical=True)
            .add_extension(x509.NameConstraints(permitted, None), critical=True)
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
            .add_extension(_use(signs=True), critical=True)
            .add_extension(x509.SubjectKeyIdentifier.from_public_key(key.public_key()), critical=False)
            .sign(key, hashes.SHA256()))
    _write(key_file, _pem(key))
    _write(file, made.public_bytes(serialization.Encoding.PEM))


def _make_server(file: Path, key_file: Path, authority: x509.Certificate, authority_key: Path, wanted: set[str],
                 now: datetime) -> None:
    signing = serialization.load_pem_private_key(authority_key.read_bytes(), None)
    assert isinstance(signing, ec.EllipticCurvePrivateKey)
    key, begins = ec.generate_private_key(ec.SECP256R1()), max(now, NOT_BEFORE)
    made = (x509.CertificateBuilder()
            .subject_name(x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "Voltaun")]))
            .issuer_name(authority.subject).public_key(key.public_key()).serial_number(x509.random_serial_number())
            .not_valid_before(begins - timedelta(days=1)).not_valid_after(begins + SERVER_LASTS)
            .add_extension(x509.SubjectAlternativeName([_general(of) for of in sorted(wanted)]), critical=False)
            .add_extension(x509.BasicConstraints(ca=False, path_length=None), critical=True)
            .add_extension(x509.ExtendedKeyUsage([ExtendedKeyUsageOID.SERVER_AUTH]), critical=False)
            .add_extension(_use(signs=False), critical=True)
            .add_extension(x509.AuthorityKeyIdentifier.from_issuer_public_key(signing.public_key()), critical=False)
            .sign(signing, hashes.SHA256()))
    _write(key_file, _pem(key))
    _write(file, made.public_bytes(serialization.Encoding.PEM))


def _has(certificate: x509.Certificate, kind: type[x509.ExtensionType]) -> bool:
    try:
        certificate.extensions.get_extension_for_class(kind)
    except x509.ExtensionNotFound:
        return False
    return True


def _may(authority: x509.Certificate, of: str) -> bool:
    """Whether an authority may vouch for a name or an address."""
    permitted = authority.extensions.get_extension_for_class(x509.NameConstraints).value.permitted_subtrees or []
    name = _general(of)
    if isinstance(name, x509.IPAddress):
        return any(isinstance(each.value, IPv4Network) and name.value in each.value for each in permitted)
    return any(isinstance(each, x509.DNSName) and (of == each.value or of.endswith("." + each.value))
               for each in permitted)


def _holds(file: Path, authority: x509.Certificate, wanted: set[str], now: datetime) -> bool:
    """Whether what was said of the server is of this authority, of these names, and goes on for a while."""
    try:
        found = x509.load_pem_x509_certificate(file.read_bytes())
        found.verify_directly_issued_by(authority)
    except (ValueError, TypeError, OSError, InvalidSignature):
        return False
    told = found.extensions.get_extension_for_class(x509.SubjectAlternativeName).value
    said = {str(of) for kind in (x509.DNSName, x509.IPAddress) for of in told.get_values_for_type(kind)}
    return wanted <= said and found.not_valid_after_utc - now > RENEWED


def _general(of: str) -> x509.DNSName | x509.IPAddress:
    try:
        return x509.IPAddress(ip_address(of))
    except ValueError:
        return x509.DNSName(of)


def _use(signs: bool) -> x509.KeyUsage:
    return x509.KeyUsage(digital_signature=not signs, content_commitment=False, key_encipherment=False,
                         data_encipherment=False, key_agreement=False, key_cert_sign=signs, crl_sign=signs,
                         encipher_only=False, decipher_only=False)


def _pem(key: ec.EllipticCurvePrivateKey) -> bytes:
    return key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8,
                             serialization.NoEncryption())


def _write(file: Path, data: bytes) -> None:
    """Whole or not at all, for its owner alone."""
    beside = file.with_name(file.name + ".new")
    beside.unlink(missing_ok=True)
    descriptor = os.open(beside, os.O_CREAT | os.O_EXCL | os.O_WRONLY, 0o600)
    with os.fdopen(descriptor, "wb") as opened:
        opened.write(data)
    os.replace(beside, file)
