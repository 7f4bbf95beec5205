"""Answers with papers that the browser prints."""

from fastapi.responses import Response

# our own pages open them in a frame to print them; nobody else may
HEADERS = {"Content-Security-Policy": "default-src 'none'; frame-ancestors 'self'"}


def printed(pdf: bytes) -> Response:
    """Returns a PDF that our own pages may open in a frame."""
    return Response(pdf, media_type="application/pdf", headers=HEADERS)
