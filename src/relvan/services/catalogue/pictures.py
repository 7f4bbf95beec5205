"""Pictures of products: checked by content, stored once, shrunk to thumbnails."""

import hashlib
import io
import warnings

from PIL import Image, ImageOps
from sqlalchemy import func, select
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse
from relvan.services import audit
from relvan.services.catalogue.complete import settle_completeness
from relvan.services.listings.refresh import refresh_listings
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.tables import Picture, ProductPicture

KINDS = {"PNG": ("image/png", "png"), "JPEG": ("image/jpeg", "jpg"), "WEBP": ("image/webp", "webp")}
THUMBNAILS = (96, 480)
MOST_PIXELS = 40_000_000
MOST_PICTURES = 30


def picture_file(sha: str, kind: str) -> str:
    """The name of the file of a picture."""
    ending = next(ending for media, ending in KINDS.values() if media == kind)
    return f"pictures/{sha[:2]}/{sha}.{ending}"


def thumbnail_file(sha: str, side: int) -> str:
    """The name of the file of a thumbnail."""
    return f"thumbnails/{side}/{sha[:2]}/{sha}.webp"


def add_picture(workplace: Workplace, actor: Actor, sku: str, content: bytes) -> str:
    """Keep a picture and put it last on a product; return its SHA-256. The same file twice changes nothing."""
    actor.must(Right.CATALOGUE)
    picture = _read_picture(content, workplace.settings.largest_picture_mb)
    sha = hashlib.sha256(content).hexdigest()
    kind = KINDS[str(picture.format)][0]
    workplace.files.keep(picture_file(sha, kind), content)
    for side in THUMBNAILS:
        workplace.files.keep(thumbnail_file(sha, side), _thumbnail(picture, side))
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        session.execute(
            insert(Picture)
            .values(
                sha=sha,
                kind=kind,
                width=picture.width,
                height=picture.height,
                bytes=len(content),
                created_at=workplace.now(),
            )
            .on_conflict_do_nothing()
        )
        if _append(session, product.id, sha):
            audit.record(session, actor, workplace.now(), "product", product.id, "picture added")
            settle_completeness(session, [product.id])
            refresh_listings(session, workplace, product_ids=[product.id])
    return sha


def remove_picture(workplace: Workplace, actor: Actor, sku: str, sha: str) -> None:
    """Take a picture off a product; the file stays for the history."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        use = session.scalar(
            select(ProductPicture).where(ProductPicture.product_id == product.id, ProductPicture.sha == sha)
        )
        if use is None:
            raise not_found("picture", sha[:12])
        session.delete(use)
        session.flush()
        audit.record(session, actor, workplace.now(), "product", product.id, "picture removed")
        settle_completeness(session, [product.id])
        refresh_listings(session, workplace, product_ids=[product.id])


def put_picture_first(workplace: Workplace, actor: Actor, sku: str, sha: str) -> None:
    """Make a picture the main one."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        uses = session.scalars(
            select(ProductPicture).where(ProductPicture.product_id == product.id).order_by(ProductPicture.position)
        ).all()
        if sha not in {use.sha for use in uses}:
            raise not_found("picture", sha[:12])
        for position, use in enumerate(sorted(uses, key=lambda use: use.sha != sha)):
            use.position = position
        session.flush()
        audit.record(session, actor, workplace.now(), "product", product.id, "main picture changed")
        refresh_listings(session, workplace, product_ids=[product.id])


def _append(session: Session, product_id: int, sha: str) -> bool:
    count, last = session.execute(
        select(func.count(), func.max(ProductPicture.position)).where(ProductPicture.product_id == product_id)
    ).one()
    if count >= MOST_PICTURES:
        raise refuse("too-many", f"“Pictures” must be at most {MOST_PICTURES}.", "Remove one first.", "picture")
    position = 0 if last is None else last + 1
    added = session.execute(
        insert(ProductPicture).values(product_id=product_id, sha=sha, position=position).on_conflict_do_nothing()
    )
    return bool(added.rowcount)  # type: ignore[attr-defined]


def _read_picture(content: bytes, most_mb: int) -> Image.Image:
    """Open and decode a picture; refused when it is none of ours, too large, or broken."""
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
    except (OSError, ValueError, SyntaxError, Image.DecompressionBombError, Image.DecompressionBombWarning):
        message = "“Picture” must be a PNG, JPEG or WebP; this file is none of them."
        raise refuse("no-picture", message, "Choose a picture file.", "picture") from None
    return picture


def _thumbnail(picture: Image.Image, side: int) -> bytes:
    small = ImageOps.exif_transpose(picture).convert("RGBA")
    small.thumbnail((side, side))
    out = io.BytesIO()
    small.save(out, "WEBP", quality=82)
    return out.getvalue()
