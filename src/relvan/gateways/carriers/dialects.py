"""The carriers whose dialect is spoken, and how an account at one of them is opened."""

from base64 import b64encode

from relvan.gateways.calling import OutsideCaller
from relvan.gateways.carriers.merrowline import MerrowlineGateway
from relvan.gateways.carriers.ostrel import OstrelGateway
from relvan.gateways.carriers.port import CarrierGateway

CARRIERS = {"ostrel": "Ostrel Post", "merrowline": "Merrowline"}


def dialect_of(key: str) -> str:
    """Returns the carrier of an account: `ostrel-2` is a second account at `ostrel`."""
    return key.partition("-")[0]


def open_carrier(
    key: str, name: str, address: str, token: str, *, private_allowed: bool
) -> CarrierGateway:
    """Returns the gateway of a carrier account."""
    if dialect_of(key) == "merrowline":
        basic = b64encode(f"key:{token}".encode()).decode()
        headers = {"Authorization": f"Basic {basic}"}
        return MerrowlineGateway(
            OutsideCaller(address, headers, name=name, private_allowed=private_allowed)
        )
    headers = {"Authorization": f"Account {token}"}
    return OstrelGateway(
        OutsideCaller(address, headers, name=name, private_allowed=private_allowed)
    )
