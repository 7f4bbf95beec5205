"""Looks once a day when the certificates of the addresses that are called end, for Health."""

from datetime import timedelta
from urllib.parse import urlsplit

from relvan.core.refusal import Refused
from relvan.gateways.calling import OutsideTrouble, check_public
from relvan.gateways.certificates import certificate_end
from relvan.services.workplace import Workplace
from relvan.store.certificates import (
    Certificate,
    called_addresses,
    certificates,
    keep_certificates,
)
from relvan.store.session import Session

EVERY = timedelta(days=1)
Server = tuple[str, int]  # host and port


def look_at_certificates(workplace: Workplace) -> list[Certificate]:
    """Looks at the certificate of every address that is called by https, and of this application's
    own; returns what was seen. One that does not answer is noted as such."""
    with workplace.database.reading() as session:
        wanted = _wanted(workplace, session)
    seen = {_named(server): _look(workplace, server) for server in wanted}
    with workplace.database.writing() as session:
        keep_certificates(session, seen)
    return list(seen.values())


def look_when_due(workplace: Workplace) -> bool:
    """Looks when an address was not looked at within a day, or is called no more; returns whether
    it looked."""
    with workplace.database.reading() as session:
        wanted = _wanted(workplace, session)
        before = workplace.now() - EVERY
        known = certificates(session)
    fresh = {one.address for one in known if one.seen_at > before}
    named = {_named(server) for server in wanted}
    if fresh == named and len(known) == len(fresh):
        return False
    look_at_certificates(workplace)
    return True


def _wanted(workplace: Workplace, session: Session) -> list[Server]:
    """Returns the servers behind the addresses that are called by https, and our own, each once."""
    return sorted(_servers([workplace.settings.base_url, *called_addresses(session)]))


def _servers(addresses: list[str]) -> set[Server]:
    parts = [urlsplit(address) for address in addresses]
    return {
        (one.hostname, one.port or 443) for one in parts if one.scheme == "https" and one.hostname
    }


def _named(server: Server) -> str:
    host, port = server
    return host if port == 443 else f"{host}:{port}"


def _look(workplace: Workplace, server: Server) -> Certificate:
    now, own = workplace.now(), _servers([workplace.settings.base_url])
    try:
        if server not in own and not workplace.settings.private_addresses:
            check_public(*server)
        return Certificate(_named(server), now, certificate_end(*server), "")
    except OutsideTrouble as trouble:
        return Certificate(_named(server), now, None, str(trouble))
    except Refused as refused:
        return Certificate(_named(server), now, None, refused.first.message)
