"""Pictures of products: checked by content, stored once, shrunk to thumbnails."""

import hashlib
import io
import warnings
from collections.abc import Sequence

from PIL import Image, ImageOps
from sqlalchemy import delete, insert, select
from sqlalchemy.orm import Session

from relvan.core.catalogue.product import ProductKind
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse
from relvan.services import audit
from relvan.services.catalogue.write import settle_products
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.portable import insert_into
from relvan.store.tables import Picture, Product, ProductPicture

KINDS = {"PNG": ("image/png", "png"), "JPEG": ("image/jpeg", "jpg"), "WEBP": ("image/webp", "webp")}
THUMBNAILS = (96, 480)
ROLES = ("main", "further", "description")
MOST_PIXELS = 40_000_000
MOST_PICTURES = 30


def picture_file(sha: str, kind: str) -> str:
    """The name of the file of a picture."""
    ending = next(ending for media, ending in KINDS.values() if media == kind)
    return f"pictures/{sha[:2]}/{sha}.{ending}"


def thumbnail_file(sha: str, side: int) -> str:
    """The name of the file of a thumbnail."""
    return f"thumbnails/{side}/{sha[:2]}/{sha}.webp"


def add_picture(workplace: Workplace, actor: Actor, sku: str, content: bytes, *, role: str = "further") -> str:
    """Keep a picture and put it last on a product, or first as the main one; return its SHA-256.

    The same file again changes nothing but its place.
    """
    actor.must(Right.CATALOGUE)
    check_role(role)
    picture = _read_picture(content, workplace.settings.largest_picture_mb)
    sha = hashlib.sha256(content).hexdigest()
    kind = KINDS[str(picture.format)][0]
    workplace.files.keep(picture_file(sha, kind), content)
    for side in THUMBNAILS:
        workplace.files.keep(thumbnail_file(sha, side), _thumbnail(picture, side))
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        values = {"sha": sha, "kind": kind, "width": picture.width, "height": picture.height,
                  "bytes": len(content), "created_at": workplace.now()}  # fmt: skip
        session.execute(insert_into(session, Picture).values(**values).on_conflict_do_nothing())
        _use(session, workplace, actor, product, sha, role)
    return sha


def use_picture(workplace: Workplace, actor: Actor, sku: str, sha: str, *, role: str = "further") -> None:
    """Put a picture that is kept already on a product."""
    actor.must(Right.CATALOGUE)
    check_role(role)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        if session.get(Picture, sha) is None:
            raise not_found("picture", sha[:12])
        _use(session, workplace, actor, product, sha, role)


def _use(session: Session, workplace: Workplace, actor: Actor, product: Product, sha: str, role: str) -> None:
    kept = _uses(session, product.id)
    if sha in {use.sha for use in kept} and role == "further":
        return
    order = [(use.sha, role_of(use, kept)) for use in kept if use.sha != sha]
    order = [(sha, role), *order] if role == "main" else [*order, (sha, role)]
    _arrange(session, workplace, actor, product, order)


def remove_picture(workplace: Workplace, actor: Actor, sku: str, sha: str) -> None:
    """Take a picture off a product; the file stays for the history."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        kept = _uses(session, product.id)
        if sha not in {use.sha for use in kept}:
            raise not_found("picture", sha[:12])
        _arrange(session, workplace, actor, product, [(u.sha, role_of(u, kept)) for u in kept if u.sha != sha])


def arrange_pictures(workplace: Workplace, actor: Actor, sku: str, order: Sequence[tuple[str, str]]) -> None:
    """Put a product's pictures in an order, each with its role: the first that is not in the description is the
    main one. Pictures that are left out are taken off."""
    actor.must(Right.CATALOGUE)
    for _, role in order:
        check_role(role)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        known = set(session.scalars(select(Picture.sha).where(Picture.sha.in_([sha for sha, _ in order]))).all())
        for sha, _ in order:
            if sha not in known:
                raise not_found("picture", sha[:12])
        _arrange(session, workplace, actor, product, list(dict(order).items()))


def put_picture_first(workplace: Workplace, actor: Actor, sku: str, sha: str) -> None:
    """Make a picture the main one."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        kept = _uses(session, product.id)
        if sha not in {use.sha for use in kept}:
            raise not_found("picture", sha[:12])
        others = [(use.sha, role_of(use, kept)) for use in kept if use.sha != sha]
        _arrange(session, workplace, actor, product, [(sha, "main"), *others])


def picture_roles(workplace: Workplace, sku: str) -> list[tuple[str, str]]:
    """(name, role) of a product's own pictures in order."""
    with workplace.database.reading() as session:
        kept = _uses(session, find_product(session, sku).id)
        return [(use.sha, role_of(use, kept)) for use in kept]


def picture_is_kept(workplace: Workplace, sha: str) -> bool:
    """Whether there is a picture of that name."""
    with workplace.database.reading() as session:
        return session.get(Picture, sha) is not None


def check_role(role: str) -> None:
    """Refuse a role that a picture cannot have."""
    if role not in ROLES:
        message = f"“Role” must be one of {', '.join(ROLES)}; it got “{role[:40]}”."
        raise refuse("not-allowed", message, "Choose one of them.", "role")


def role_of(use: ProductPicture, kept: Sequence[ProductPicture]) -> str:
    """A picture's role among the others: main, further or description."""
    if use.role == "description":
        return "description"
    first = next(other for other in kept if other.role != "description")
    return "main" if first is use else "further"


def _uses(session: Session, product_id: int) -> list[ProductPicture]:
    statement = select(ProductPicture).where(ProductPicture.product_id == product_id)
    return list(session.scalars(statement.order_by(ProductPicture.position)).all())


def _arrange(
    session: Session, workplace: Workplace, actor: Actor, product: Product, order: Sequence[tuple[str, str]]
) -> None:
    """Write a product's pictures down as given; what follows from it is brought along."""
    if len(order) > MOST_PICTURES:
        raise refuse("too-many", f"“Pictures” must be at most {MOST_PICTURES}.", "Remove one first.", "picture")
    before = [f"{use.sha[:12]} {use.role}" for use in _uses(session, product.id)]
    ranked = sorted(order, key=lambda pair: pair[1] != "main")  # a picture called main comes first
    rows = [
        {
            "product_id": product.id,
            "sha": sha,
            "position": n,
            "role": "description" if role == "description" else "shown",
        }
        for n, (sha, role) in enumerate(ranked)
    ]
    session.execute(delete(ProductPicture).where(ProductPicture.product_id == product.id))
    if rows:
        session.execute(insert(ProductPicture), rows)
    after = [f"{sha[:12]} {'description' if role == 'description' else 'shown'}" for sha, role in ranked]
    if before == after:
        return
    audit.record(
        session, actor, workplace.now(), "product", product.id, _deed(before, after), {"pictures": (before, after)}
    )
    families = [product.id] if product.kind == ProductKind.FAMILY else []
    settle_products(session, workplace, [product.id], families=families)


def _deed(before: Sequence[str], after: Sequence[str]) -> str:
    if len(after) == len(before):
        return "pictures arranged"
    return "picture added" if len(after) > len(before) else "picture removed"


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
