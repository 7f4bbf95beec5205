"""Looks when the certificate of an address ends, whether or not this machine trusts it."""

import socket
import ssl
from datetime import datetime

from cryptography import x509

from relvan.gateways.calling import OutsideTrouble

TIMEOUT_S = 5.0


def certificate_end(host: str, port: int) -> datetime:
    """Returns the moment (UTC) at which the certificate that a server shows ends.

    Raises:
        OutsideTrouble: if the server cannot be reached or shows none.
    """
    context = ssl.create_default_context()
    context.check_hostname, context.verify_mode = False, ssl.CERT_NONE  # only its end is asked for
    try:
        with (
            socket.create_connection((host, port), timeout=TIMEOUT_S) as way,
            context.wrap_socket(way, server_hostname=host) as told,
        ):
            shown = told.getpeercert(binary_form=True)
        if not shown:
            raise OutsideTrouble(f"{host} shows no certificate")
        return x509.load_der_x509_certificate(shown).not_valid_after_utc
    except (OSError, ValueError) as failure:
        raise OutsideTrouble(f"{host} cannot be reached: {failure}"[:200]) from failure
