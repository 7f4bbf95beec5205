"""Makes calls over HTTP to other machines, with time-outs, and sorts failures by what can be done
about them.
"""

import ipaddress
import socket
import ssl
import threading
import time
from functools import cache
from typing import Any
from urllib.parse import urlencode, urlsplit

import httpcore
import httpx
import orjson

from relvan.core.channels.sending import TokenBucket
from relvan.core.refusal import refuse

TIMEOUT = httpx.Timeout(8.0, connect=3.0)
OFTEN = {"timeout": TIMEOUT.as_dict()}
UNREACHABLE = (httpcore.ConnectError, httpcore.ConnectTimeout, httpcore.PoolTimeout)
BROKEN_OFF = (httpcore.NetworkError, httpcore.ProtocolError, httpcore.TimeoutException)


class OutsideTrouble(Exception):
    """The call failed and is worth trying again.

    `unclear` says that it may have taken effect all the same. `retry_after` is the number of
    seconds that the other side asked to wait.
    """

    def __init__(
        self, message: str, *, unclear: bool = False, retry_after: float | None = None
    ) -> None:
        super().__init__(message)
        self.unclear, self.retry_after = unclear, retry_after


class OutsideRefusal(Exception):
    """The other side understood and refused, so trying again changes nothing. `body` is its answer."""

    def __init__(self, message: str, status: int, body: Any) -> None:
        super().__init__(message)
        self.status, self.body = status, body

    @property
    def words(self) -> str:
        """What the other side says of it: the text that it calls error, fault or detail, else how it is
        told here."""
        said = self.body if isinstance(self.body, dict) else {}
        told = (said.get(name) for name in ("error", "fault", "detail"))
        return next((one for one in told if isinstance(one, str) and one), str(self))


def check_address(address: str, *, private_allowed: bool, field: str = "address") -> None:
    """Refuses an address that is not a plain http(s) one, or that leads into a private network
    where this is not allowed.
    """
    parts = urlsplit(address)
    if (
        parts.scheme not in ("http", "https")
        or not parts.hostname
        or parts.username
        or parts.query
        or parts.fragment
    ):
        raise refuse(
            "address",
            f"“{address[:100]}” must be an http or https address.",
            "Copy it whole.",
            field,
        )
    if not private_allowed:
        check_public(parts.hostname, parts.port or 443, field)


def check_public(host: str, port: int, field: str = "address") -> None:
    """Refuses a server that cannot be found, or that lies in a private network."""
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except OSError:
        message = f"“{host}” cannot be found."
        raise refuse("address", message, "Check the spelling.", field) from None
    if any(not ipaddress.ip_address(entry[4][0]).is_global for entry in found):
        message = f"“{host}” leads into a private network."
        fix = "Name a public one, or allow private addresses in the settings of the server."
        raise refuse("address", message, fix, field)


class CallPace:
    """Keeps calls within the other side's rate limit by making the caller wait."""

    def __init__(self, per_second: float, burst: int) -> None:
        self._bucket = TokenBucket(per_second, burst, float(burst), time.monotonic())
        self._lock = threading.Lock()

    def wait(self) -> None:
        """Waits until one more call may be made."""
        with self._lock:
            self._bucket, seconds = self._bucket.take(time.monotonic())
        if seconds:
            time.sleep(seconds)


@cache
def trusted_roots() -> ssl.SSLContext:
    """Returns the trusted root certificates. They are read once, because reading them takes longer
    than a call.
    """
    return httpx.create_ssl_context()


class OutsideCaller:
    """One other side: its address, the headers that identify us, and one pool of connections."""

    def __init__(
        self,
        address: str,
        headers: dict[str, str],
        *,
        name: str,
        private_allowed: bool,
        pace: CallPace | None = None,
    ) -> None:
        self.name, self.address, self.private_allowed = name, address, private_allowed
        self._pace = pace or CallPace(20, 20)
        self._checked = False
        self._often = httpcore.ConnectionPool(trusted_roots(), max_connections=4)
        self._headers = [(name.encode(), value.encode()) for name, value in headers.items()]
        self._client = httpx.Client(
            base_url=address.rstrip("/") + "/",
            headers=headers,
            timeout=TIMEOUT,
            follow_redirects=False,
            verify=trusted_roots(),
        )

    def call(self, method: str, path: str, **options: Any) -> httpx.Response:
        """Makes one call and returns the answer if it is one of success."""
        self._ready()
        try:
            answer = self._client.request(method, path, **options)
        except (httpx.ConnectError, httpx.ConnectTimeout, httpx.PoolTimeout) as error:
            raise OutsideTrouble(f"{self.name} cannot be reached: {error}") from error
        except httpx.HTTPError as error:
            raise OutsideTrouble(f"{self.name} broke off: {error}", unclear=True) from error
        return self._sorted(answer)

    def json(self, method: str, path: str, **options: Any) -> Any:
        """Makes one call and returns its JSON."""
        answer = self.call(method, path, **options)
        try:
            return answer.json()
        except ValueError as error:
            raise self._unreadable() from error

    def poll(self, path: str, **asked: int) -> Any:
        """Reads JSON as `json` does, for what is asked several times a second, all day: it takes a
        third of the computing, because it speaks to the connection pool of the client directly.
        """
        self._ready()
        url = f"{self.address.rstrip('/')}/{path}?{urlencode(asked)}"
        try:
            answer = self._often.request("GET", url, headers=self._headers, extensions=OFTEN)
        except UNREACHABLE as error:
            raise OutsideTrouble(f"{self.name} cannot be reached: {error}") from error
        except BROKEN_OFF as error:
            raise OutsideTrouble(f"{self.name} broke off: {error}", unclear=True) from error
        if answer.status != httpx.codes.OK:
            self._sorted(
                httpx.Response(answer.status, headers=answer.headers, content=answer.content)
            )
        try:
            return orjson.loads(answer.content)
        except ValueError as error:
            raise self._unreadable() from error

    def close(self) -> None:
        """Closes the connections."""
        self._client.close()
        self._often.close()

    def _ready(self) -> None:
        """Checks the address before the first call, and waits until one more may be made."""
        if not self._checked:
            check_address(self.address, private_allowed=self.private_allowed)
            self._checked = True
        self._pace.wait()

    def _unreadable(self) -> OutsideTrouble:
        return OutsideTrouble(f"{self.name} answered something unreadable.", unclear=True)

    def _sorted(self, answer: httpx.Response) -> httpx.Response:
        if answer.is_success:
            return answer
        said = f"{self.name} answered {answer.status_code}"
        if answer.status_code == 429:
            raise OutsideTrouble(
                f"{said}: too many calls", retry_after=_seconds(answer.headers.get("retry-after"))
            )
        if answer.status_code in (401, 403):
            raise OutsideTrouble(f"{said}: it does not accept our token")
        if answer.status_code == 503:
            raise OutsideTrouble(
                f"{said}: nobody is there", retry_after=_seconds(answer.headers.get("retry-after"))
            )
        if answer.status_code >= 500 or answer.is_redirect:
            raise OutsideTrouble(said, unclear=True)
        try:
            body = answer.json()
        except ValueError:
            body = {}
        raise OutsideRefusal(said, answer.status_code, body)


def _seconds(text: str | None) -> float | None:
    try:
        return max(0.0, float(text)) if text else None
    except ValueError:
        return None
