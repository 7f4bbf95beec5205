"""Pictures of products: which a product has, in which order and in which roles."""

from collections.abc import Sequence
from dataclasses import asdict

from relvan.core.catalogue.pictures import PictureRole, check_role
from relvan.core.catalogue.product import ProductKind
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse
from relvan.services import audit
from relvan.services.catalogue.kept_pictures import KeptPicture, keep_picture
from relvan.services.catalogue.write import settle_products
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.pictures import insert_picture, known_pictures, pictures_on, replace_pictures
from relvan.store.session import Session
from relvan.store.tables import Picture, Product, ProductPicture

MOST_PICTURES = 30


def add_picture(
    workplace: Workplace, actor: Actor, sku: str, content: bytes, *, role: str = PictureRole.FURTHER
) -> str:
    """Saves a picture and puts it last on a product, or first as the main one; returns its SHA-256
    checksum.

    When the product has the picture already, only its place changes.
    """
    actor.must(Right.CATALOGUE)
    check_role(role)
    picture = keep_picture(workplace.files, content, most_mb=workplace.settings.largest_picture_mb)
    add_kept_pictures(workplace, actor, [(sku, picture)], role=role)
    return picture.sha


def add_kept_pictures(
    workplace: Workplace,
    actor: Actor,
    pictures: Sequence[tuple[str, KeptPicture]],
    *,
    role: str = PictureRole.FURTHER,
) -> None:
    """Puts pictures, whose files are kept, on products that are named by SKU, in one transaction."""
    actor.must(Right.CATALOGUE)
    check_role(role)
    with workplace.database.writing() as session:
        changed = []
        for sku, picture in pictures:
            insert_picture(session, {**asdict(picture), "created_at": workplace.now()})
            product = find_product(session, sku)
            if _use(session, workplace, actor, product, picture.sha, role):
                changed.append(product)
        _bring_along(session, workplace, changed)


def use_picture(
    workplace: Workplace, actor: Actor, sku: str, sha: str, *, role: str = PictureRole.FURTHER
) -> None:
    """Puts a picture that Relvan has already on a product."""
    actor.must(Right.CATALOGUE)
    check_role(role)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        if session.get(Picture, sha) is None:
            raise not_found("picture", sha[:12])
        if _use(session, workplace, actor, product, sha, role):
            _bring_along(session, workplace, [product])


def _use(
    session: Session, workplace: Workplace, actor: Actor, product: Product, sha: str, role: str
) -> bool:
    """Gives a picture its place on a product; returns whether that changed anything."""
    kept = pictures_on(session, product.id)
    if sha in {use.sha for use in kept} and role == PictureRole.FURTHER:
        return False
    order = [(use.sha, role_of(use, kept)) for use in kept if use.sha != sha]
    order = [(sha, role), *order] if role == PictureRole.MAIN else [*order, (sha, role)]
    return _write_order(session, workplace, actor, product, order)


def remove_picture(workplace: Workplace, actor: Actor, sku: str, sha: str) -> None:
    """Takes a picture off a product; the file is kept for the history."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        kept = pictures_on(session, product.id)
        if sha not in {use.sha for use in kept}:
            raise not_found("picture", sha[:12])
        _arrange(
            session,
            workplace,
            actor,
            product,
            [(u.sha, role_of(u, kept)) for u in kept if u.sha != sha],
        )


def arrange_pictures(
    workplace: Workplace, actor: Actor, sku: str, order: Sequence[tuple[str, str]]
) -> None:
    """Puts a product's pictures in an order, each with its role. The first one that is not for the
    description is the main one; pictures that are not named are taken off."""
    actor.must(Right.CATALOGUE)
    for _, role in order:
        check_role(role)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        known = known_pictures(session, [sha for sha, _ in order])
        for sha, _ in order:
            if sha not in known:
                raise not_found("picture", sha[:12])
        _arrange(session, workplace, actor, product, list(dict(order).items()))


def put_picture_first(workplace: Workplace, actor: Actor, sku: str, sha: str) -> None:
    """Makes a picture the main one."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        kept = pictures_on(session, product.id)
        if sha not in {use.sha for use in kept}:
            raise not_found("picture", sha[:12])
        others = [(use.sha, role_of(use, kept)) for use in kept if use.sha != sha]
        _arrange(session, workplace, actor, product, [(sha, PictureRole.MAIN), *others])


def picture_roles(workplace: Workplace, sku: str) -> list[tuple[str, str]]:
    """Returns (name, role) of a product's own pictures in order."""
    with workplace.database.reading() as session:
        kept = pictures_on(session, find_product(session, sku).id)
        return [(use.sha, role_of(use, kept)) for use in kept]


def picture_is_kept(workplace: Workplace, sha: str) -> bool:
    """Says whether Relvan has a picture with this name."""
    with workplace.database.reading() as session:
        return session.get(Picture, sha) is not None


def role_of(use: ProductPicture, kept: Sequence[ProductPicture]) -> str:
    """Returns the role of a picture among the others: main, further or description."""
    if use.role == PictureRole.DESCRIPTION:
        return PictureRole.DESCRIPTION
    first = next(other for other in kept if other.role != PictureRole.DESCRIPTION)
    return PictureRole.MAIN if first is use else PictureRole.FURTHER


def _arrange(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    product: Product,
    order: Sequence[tuple[str, str]],
) -> None:
    """Writes down which pictures a product has, and brings along what depends on them."""
    if _write_order(session, workplace, actor, product, order):
        _bring_along(session, workplace, [product])


def _write_order(
    session: Session,
    workplace: Workplace,
    actor: Actor,
    product: Product,
    order: Sequence[tuple[str, str]],
) -> bool:
    """Writes down which pictures a product has; returns whether they are others than before."""
    if len(order) > MOST_PICTURES:
        raise refuse(
            "too-many",
            f"“Pictures” must be at most {MOST_PICTURES}.",
            "Remove one first.",
            "picture",
        )
    before = [f"{use.sha[:12]} {use.role}" for use in pictures_on(session, product.id)]
    ranked = sorted(
        order, key=lambda pair: pair[1] != PictureRole.MAIN
    )  # a picture called main comes first
    rows = [
        {
            "product_id": product.id,
            "sha": sha,
            "position": n,
            "role": "description" if role == "description" else "shown",
        }
        for n, (sha, role) in enumerate(ranked)
    ]
    replace_pictures(session, product.id, rows)
    after = [
        f"{sha[:12]} {'description' if role == 'description' else 'shown'}" for sha, role in ranked
    ]
    if before == after:
        return False
    audit.record(
        session,
        actor,
        workplace.now(),
        audit.Subject("product", product.id),
        _deed(before, after),
        {"pictures": (before, after)},
    )
    return True


def _bring_along(session: Session, workplace: Workplace, products: Sequence[Product]) -> None:
    """Brings along what depends on the pictures of products."""
    if products:
        families = [product.id for product in products if product.kind == ProductKind.FAMILY]
        ids = [product.id for product in products]
        settle_products(session, workplace, ids, families=families)


def _deed(before: Sequence[str], after: Sequence[str]) -> str:
    if len(after) == len(before):
        return "pictures arranged"
    return "picture added" if len(after) > len(before) else "picture removed"
