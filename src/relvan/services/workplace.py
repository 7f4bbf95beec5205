"""What every service works with: the database, the clock, the files, the gateways and the settings."""

import logging
import random
import secrets
import threading
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from pathlib import Path
from typing import Protocol
from zoneinfo import ZoneInfo

from relvan.core.channels.sending import CallTimes
from relvan.core.listings.rulebook import Rulebook
from relvan.core.people.roles import Right, Role, check_right
from relvan.core.refusal import NotAllowed, Refusal
from relvan.core.setup.firm import Firm
from relvan.core.setup.tax import TaxTable
from relvan.core.waking import Work
from relvan.gateways.carriers.dialects import open_carrier
from relvan.gateways.carriers.port import CarrierGateway
from relvan.gateways.channels.port import ChannelGateway
from relvan.gateways.channels.registry import open_gateway, read_rulebooks
from relvan.services.changes import Changes, changes_of
from relvan.services.files import FileStore
from relvan.services.rush import Rush
from relvan.services.secret_box import SecretBox
from relvan.services.stations import Stations
from relvan.settings import Settings
from relvan.store.database import Database
from relvan.store.session import Session
from relvan.store.setup import firm_of
from relvan.store.tables import Carrier
from relvan.store.tax import tax_table
from relvan.store.trays import trays_of

log = logging.getLogger("relvan")


class ChannelAccount(Protocol):
    """What is needed of a channel to call it; the token is encrypted."""

    @property
    def rulebook(self) -> str:
        """The key of its rulebook."""

    @property
    def address(self) -> str:
        """The address of its seller API."""

    @property
    def token(self) -> str:
        """The token, encrypted."""


@dataclass(frozen=True)
class Actor:
    """Who does something, and by what means: hand, api, channel or bulk job. `only` are the rights
    of a token that has fewer than its person.
    """

    person_id: int | None
    name: str
    role: Role
    via: str
    only: frozenset[Right] | None = None

    def must(self, right: Right) -> None:
        """Refuses when the role, or the token, does not include the right."""
        check_right(self.role, right)
        if self.only is not None and right not in self.only:
            raise NotAllowed(
                Refusal(
                    "not-allowed",
                    f"This token may not change {right.value}.",
                    "Ask an owner for one with that right.",
                )
            )


SYSTEM = Actor(None, "Relvan", Role.OWNER, "relvan")


FIRM_KNOWN_S = 30.0
STANDING_ALONE = Stations()


class Workplace:
    """One seller's workplace, opened once for each process by
    `relvan.services.open.open_workplace`."""

    def __init__(
        self,
        settings: Settings,
        stations: Stations = STANDING_ALONE,
        *,
        clock: Callable[[], datetime] = lambda: datetime.now(UTC),
        wake: Callable[[Work, int], None] = lambda _work, _which: None,
    ) -> None:
        self.settings = settings
        self.stations = stations
        self.database = Database(settings.database, before_commit=self.bring_along)
        self.now = clock
        self.wake = wake
        self.chance = random.SystemRandom().random
        self.files = FileStore(settings.files)
        self.secrets = SecretBox(settings.secret_key, settings.data_dir)
        self.rulebooks = read_rulebooks(settings.data_dir / "rulebooks")
        self.rush = Rush()
        self.call_times = CallTimes()
        self._firm: tuple[Firm, TaxTable, float] | None = None
        self._trays: tuple[Mapping[str, tuple[str, str]], float] | None = None
        self._gateways: dict[tuple[str, str, str], ChannelGateway] = {}
        self._carriers: dict[tuple[str, str], CarrierGateway] = {}
        self._opening = (
            threading.Lock()
        )  # two rounds must not open two gateways, each with a pace of its own

    def bring_along(self, session: Session) -> Changes:
        """Lets the stations that follow do their part in what a transaction has changed; returns
        what was changed so far. It happens before the transaction is saved in any case; a service
        that tells what came of it calls it sooner."""
        changes = changes_of(session)
        for follow in self.stations.followers:
            follow(session, self, changes)
        return changes

    @property
    def firm(self) -> Firm:
        """The firm as it was at most half a minute ago, or just now if this process changed it.
        While nobody has described it, its currency and its way to write come from the settings.
        """
        return self._known_firm()[0]

    @property
    def tax(self) -> TaxTable:
        """The rates of tax, known as the firm is."""
        return self._known_firm()[1]

    def _known_firm(self) -> tuple[Firm, TaxTable, float]:
        known = self._firm
        if known is None or time.monotonic() - known[2] > FIRM_KNOWN_S:
            with self.database.reading() as session:
                firm = firm_of(session) or Firm()
                known = (firm, tax_table(session), time.monotonic())
            self._firm = known
        return known

    def forget_firm(self) -> None:
        """Lets the firm and its rates of tax be read again, since they have changed."""
        self._firm = None

    def tray_names(self) -> Mapping[str, tuple[str, str]]:
        """Returns (name, hue) of every tray by its key, in their order, known as the firm is."""
        known = self._trays
        if known is None or time.monotonic() - known[1] > FIRM_KNOWN_S:
            with self.database.reading() as session:
                names = {row.key: (row.name, row.hue) for row in trays_of(session)}
            known = self._trays = (names, time.monotonic())
        return known[0]

    def forget_trays(self) -> None:
        """Lets the trays be read again, since they have changed."""
        self._trays = None

    def know_tax(self, table: TaxTable) -> None:
        """Takes rates that are just being saved, for what is worked out in the same transaction."""
        self._firm = (self.firm, table, time.monotonic())

    def home_tax(self) -> Mapping[str, Decimal]:
        """Returns the percentage by tax code in the seller's country today."""
        return self.tax.at_home(self.now().date())

    def local_now(self) -> datetime:
        """Returns the present moment by the firm's clock."""
        return self.now().astimezone(ZoneInfo(self.firm.time_zone))

    def sample_files(self) -> dict[str, Path]:
        """Files to try an import with, by name; only the demo has some."""
        folder = self.settings.data_dir / "samples"
        return {path.name: path for path in sorted(folder.iterdir())} if folder.is_dir() else {}

    def new_key(self) -> str:
        """Returns a key that nobody has used and nobody can guess."""
        return secrets.token_urlsafe(18)

    def rulebook(self, channel: ChannelAccount) -> Rulebook:
        """Returns the rulebook of a channel."""
        return self.rulebooks.of(channel.rulebook)

    def gateway(self, channel: ChannelAccount) -> ChannelGateway:
        """Returns the gateway of a channel, which is opened once for each address and token."""
        name = (channel.rulebook, channel.address, channel.token)
        with self._opening:
            if name not in self._gateways:
                self._gateways[name] = self.open_gateway(
                    self.rulebook(channel), channel.address, self.secrets.open(channel.token)
                )
            return self._gateways[name]

    def open_gateway(self, book: Rulebook, address: str, token: str) -> ChannelGateway:
        """Returns a gateway that is not kept, for testing a connection."""
        return open_gateway(book, address, token, private_allowed=self.settings.private_addresses)

    def carrier(self, carrier: Carrier) -> CarrierGateway:
        """Returns the gateway of an account at a carrier."""
        name = (carrier.address, carrier.token)
        with self._opening:
            if name not in self._carriers:
                token = self.secrets.open(carrier.token)
                self._carriers[name] = open_carrier(
                    carrier.key,
                    carrier.name,
                    carrier.address,
                    token,
                    private_allowed=self.settings.private_addresses,
                )
            return self._carriers[name]

    def close(self) -> None:
        """Closes everything."""
        for gateway in self._gateways.values():
            gateway.close()
        for carrier in self._carriers.values():
            carrier.close()
        self.database.close()
