"""Files of pictures: checked by content, kept once, and reduced to thumbnails.

This module knows no database, so that a process that only draws pictures starts quickly.
"""

import hashlib
import io
import warnings
from dataclasses import dataclass

from PIL import Image, ImageOps

from relvan.core.refusal import refuse
from relvan.services.files import FileStore

KINDS = {"PNG": ("image/png", "png"), "JPEG": ("image/jpeg", "jpg"), "WEBP": ("image/webp", "webp")}
THUMBNAILS = (480, 96)  # each is made of the one before it
MOST_PIXELS = 40_000_000


def picture_file(sha: str, kind: str) -> str:
    """Returns the file name of a picture."""
    ending = next(ending for media, ending in KINDS.values() if media == kind)
    return f"pictures/{sha[:2]}/{sha}.{ending}"


def thumbnail_file(sha: str, side: int) -> str:
    """Returns the file name of a thumbnail."""
    return f"thumbnails/{side}/{sha[:2]}/{sha}.webp"


@dataclass(frozen=True)
class KeptPicture:
    """A picture whose file and thumbnails are kept; width and height are pixels."""

    sha: str
    kind: str
    width: int
    height: int
    bytes: int


def keep_picture(files: FileStore, content: bytes, *, most_mb: int) -> KeptPicture:
    """Checks a picture and keeps its file and its thumbnails; it belongs to no product yet.

    Refused when the format is not supported, or the file is damaged or has more than `most_mb`.
    """
    picture = _read_picture(content, most_mb)
    sha = hashlib.sha256(content).hexdigest()
    kind = KINDS[str(picture.format)][0]
    files.keep(picture_file(sha, kind), content)
    small = _upright(picture)
    for side in THUMBNAILS:
        small.thumbnail((side, side), Image.Resampling.BILINEAR)
        files.keep(thumbnail_file(sha, side), _as_webp(small))
    return KeptPicture(sha, kind, picture.width, picture.height, len(content))


def _read_picture(content: bytes, most_mb: int) -> Image.Image:
    """Opens and decodes a picture. Refused when the format is not supported, or the file is too
    large or damaged."""
    if len(content) > most_mb * 1_000_000:
        message = f"“Picture” must have at most {most_mb} MB; this one has {len(content) / 1_000_000:.1f} MB."
        raise refuse("too-large", message, "Save it smaller.", "picture")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("error", Image.DecompressionBombWarning)
            picture = Image.open(io.BytesIO(content), formats=list(KINDS))
            if picture.width * picture.height > MOST_PIXELS:
                message = f"“Picture” must have at most {MOST_PIXELS // 1_000_000} million pixels."
                raise refuse("too-large", message, "Save it smaller.", "picture")
            picture.load()
    except (
        OSError,
        ValueError,
        SyntaxError,
        Image.DecompressionBombError,
        Image.DecompressionBombWarning,
    ):
        message = "“Picture” must be a PNG, JPEG or WebP; this file is none of them."
        raise refuse("no-picture", message, "Choose a picture file.", "picture") from None
    return picture


def _upright(picture: Image.Image) -> Image.Image:
    """Returns a copy that stands as the camera says, in colours that a thumbnail can have."""
    upright = ImageOps.exif_transpose(picture)
    return upright if upright.mode in ("RGB", "RGBA") else upright.convert("RGBA")


def _as_webp(picture: Image.Image) -> bytes:
    out = io.BytesIO()
    picture.save(out, "WEBP", quality=82, method=1)
    return out.getvalue()
