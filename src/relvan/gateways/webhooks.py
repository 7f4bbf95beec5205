"""Sends messages to a seller's own tool over HTTP, signed as the Standard Webhooks specification
says.
"""

import socket
from dataclasses import dataclass
from datetime import datetime
from urllib.parse import urlsplit

import httpx
import orjson
from standardwebhooks import Webhook as Signature

from relvan.core.refusal import Refused
from relvan.gateways.calling import TIMEOUT, OutsideTrouble, check_address, trusted_roots


@dataclass(frozen=True)
class Message:
    """One message as it is sent: the key by which it is recognised, when it is sent, its type of
    event, and its data.
    """

    key: str
    at: datetime
    type: str
    data: object


def post_message(address: str, secret: str, message: Message, *, private_allowed: bool) -> int:
    """Posts one message under its key and returns the HTTP status of the answer, whose text is not
    read.

    Raises:
        OutsideTrouble: if nobody answered, or the address leads where nothing may be called.
    """
    name = urlsplit(address).hostname or address
    body = orjson.dumps(
        {"type": message.type, "timestamp": message.at.isoformat(), "data": message.data}
    ).decode()
    headers = {
        "content-type": "application/json",
        "webhook-id": message.key,
        "webhook-timestamp": str(int(message.at.timestamp())),
        "webhook-signature": Signature(secret).sign(message.key, message.at, body),
    }
    try:
        check_address(address, private_allowed=private_allowed)
        with httpx.stream(
            "POST",
            address,
            content=body,
            headers=headers,
            timeout=TIMEOUT,
            follow_redirects=False,
            verify=trusted_roots(),
        ) as answer:
            return answer.status_code
    except Refused as refused:
        raise OutsideTrouble(refused.first.message) from refused
    except httpx.ReadTimeout as error:
        raise OutsideTrouble(f"{name} does not answer in time") from error
    except (httpx.HTTPError, httpx.InvalidURL, socket.gaierror) as error:
        raise OutsideTrouble(f"{name} cannot be reached") from error
