"""Tests the look at certificates, against a server that shows one made for the test."""

import ipaddress
import socket
import ssl
import threading
from datetime import UTC, datetime, timedelta

import pytest
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec

from relvan.core.setup.health import HealthState
from relvan.services.health import health_of
from relvan.services.setup.certificates import look_at_certificates, look_when_due
from relvan.store.channels import find_channel
from tests.house import connect

ENDS = datetime(2031, 5, 4, 12, tzinfo=UTC)


def certificate(folder):
    """Writes a certificate of this machine and its key into one file; returns the file."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(x509.NameOID.COMMON_NAME, "shop.example")])
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(ENDS - timedelta(days=3_000))
        .not_valid_after(ENDS)
        .add_extension(
            x509.SubjectAlternativeName([x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]), False
        )
        .sign(key, hashes.SHA256())
    )
    file = folder / "pair.pem"
    file.write_bytes(
        key.private_bytes(
            serialization.Encoding.PEM,
            serialization.PrivateFormat.PKCS8,
            serialization.NoEncryption(),
        )
        + made.public_bytes(serialization.Encoding.PEM)
    )
    return file


@pytest.fixture
def secure(tmp_path):
    """Runs a server that speaks TLS and nothing else; returns its port."""
    context = ssl.SSLContext(ssl.PROTOCOL_TLS_SERVER)
    context.load_cert_chain(certificate(tmp_path))
    with socket.create_server(("127.0.0.1", 0)) as server:

        def serve():
            while True:
                try:
                    way, _ = server.accept()
                except OSError:
                    return
                try:
                    context.wrap_socket(way, server_side=True).close()
                except OSError:
                    way.close()

        threading.Thread(target=serve, daemon=True).start()
        yield server.getsockname()[1]


def call(workplace, port):
    """Lets a channel have an address of https."""
    with workplace.database.writing() as session:
        find_channel(session, "hagglet").address = f"https://127.0.0.1:{port}/seller"


def line_of(workplace):
    return next(line for line in health_of(workplace) if line.part == "Certificates")


def test_the_end_is_seen_although_nobody_vouches_for_it(workplace, owner, world, secure):
    connect(workplace, owner, world, "hagglet")
    call(workplace, secure)
    (seen,) = look_at_certificates(workplace)
    assert (seen.ends_at, seen.trouble) == (ENDS, "")
    line = line_of(workplace)
    assert line.state == HealthState.WELL
    assert f"127.0.0.1:{secure}" in line.words
    workplace.now.move(days=(ENDS - workplace.now()).days - 5)
    assert line_of(workplace).state == HealthState.LOOK
    workplace.now.move(days=10)
    assert "has ended" in line_of(workplace).words


def test_it_is_looked_at_once_a_day_and_when_addresses_change(workplace, owner, world, secure):
    assert not look_when_due(workplace)  # no address is called by https
    connect(workplace, owner, world, "hagglet")
    call(workplace, secure)
    assert look_when_due(workplace)
    assert not look_when_due(workplace)
    workplace.now.move(hours=25)
    assert look_when_due(workplace)
    call(workplace, 9)
    assert look_when_due(workplace)
    line = line_of(workplace)
    assert (line.state, "cannot be reached" in line.words) == (HealthState.LOOK, True)


def test_where_private_addresses_are_not_allowed_none_is_called_but_our_own(
    workplace, owner, world, secure
):
    connect(workplace, owner, world, "hagglet")
    call(workplace, secure)
    workplace.settings.private_addresses = False
    (refused,) = look_at_certificates(workplace)
    assert (refused.ends_at, "private network" in refused.trouble) == (None, True)
    workplace.settings.base_url = f"https://127.0.0.1:{secure}"
    (own,) = look_at_certificates(workplace)
    assert own.ends_at == ENDS
