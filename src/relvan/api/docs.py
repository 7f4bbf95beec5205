"""Serves the page at /api/docs, on which every call can be read and tried. It is FastAPI's own
page, with scripts and styles that ship with the application.
"""

import base64
import hashlib
import re

from fastapi.openapi.docs import get_swagger_ui_html
from fastapi.responses import HTMLResponse

ASSETS = "/static/vendor/calls"
INLINE = re.compile(rb"<script>(.*?)</script>", re.S)


def api_page() -> HTMLResponse:
    """Returns the page of all calls, with a policy that lets its one inline script run and nothing
    else that is not ours.
    """
    given = get_swagger_ui_html(
        openapi_url="/api/openapi.json",
        title="Relvan API",
        swagger_js_url=f"{ASSETS}/swagger-ui-bundle.js",
        swagger_css_url=f"{ASSETS}/swagger-ui.css",
        swagger_favicon_url="/static/mark.svg",
        oauth2_redirect_url=None,
    )
    page = HTMLResponse(bytes(given.body).replace(b"<html>", b'<html lang="en">'))
    page.headers["Content-Security-Policy"] = (
        f"default-src 'none'; script-src 'self' {_hashes(bytes(page.body))}; style-src 'self' 'unsafe-inline'; "
        "img-src 'self' data:; connect-src 'self'; frame-ancestors 'none'; base-uri 'none'; object-src 'none'"
    )
    return page


def _hashes(page: bytes) -> str:
    """Returns the hashes of inline scripts by which a content policy allows them."""
    digests = (hashlib.sha256(script).digest() for script in INLINE.findall(page))
    return " ".join(f"'sha256-{base64.b64encode(digest).decode()}'" for digest in digests)
