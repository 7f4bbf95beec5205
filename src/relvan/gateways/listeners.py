"""Telling a seller's own tool something over HTTP, signed as the Standard Webhooks specification says."""

import socket
from datetime import datetime
from urllib.parse import urlsplit

import httpx
import orjson
from standardwebhooks import Webhook

from relvan.core.refusal import Refused
from relvan.gateways.calling import TIMEOUT, OutsideTrouble, check_address, trusted_roots


def announce(
    address: str, secret: str, *, key: str, at: datetime, type: str, data: object, private_allowed: bool
) -> int:
    """Post one announcement under its key; the HTTP status of the answer, whose text nobody reads.

    `OutsideTrouble`: nobody answered, or the address leads where nothing may be called.
    """
    name = urlsplit(address).hostname or address
    body = orjson.dumps({"type": type, "timestamp": at.isoformat(), "data": data}).decode()
    headers = {
        "content-type": "application/json",
        "webhook-id": key,
        "webhook-timestamp": str(int(at.timestamp())),
        "webhook-signature": Webhook(secret).sign(key, at, body),
    }
    try:
        check_address(address, private_allowed=private_allowed)
        with httpx.stream(
            "POST", address, content=body, headers=headers, timeout=TIMEOUT, follow_redirects=False,
            verify=trusted_roots(),
        ) as answer:  # fmt: skip
            return answer.status_code
    except Refused as refused:
        raise OutsideTrouble(refused.first.message) from refused
    except httpx.ReadTimeout as error:
        raise OutsideTrouble(f"{name} does not answer in time") from error
    except (httpx.HTTPError, httpx.InvalidURL, socket.gaierror) as error:
        raise OutsideTrouble(f"{name} cannot be reached") from error
