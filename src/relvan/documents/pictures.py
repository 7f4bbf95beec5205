"""Pictures on pages."""

import io

from PIL import Image


def as_pdf(picture: bytes) -> bytes:
    """Returns a picture as a PDF of one page, in its own size."""
    with Image.open(io.BytesIO(picture)) as opened:
        out = io.BytesIO()
        dots = opened.info.get("dpi", (300, 300))[0]
        opened.save(out, "PDF", resolution=dots)
        return out.getvalue()
