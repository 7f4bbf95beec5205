"""Creating, changing, archiving and putting back products, one or many, with who changed what."""

from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.product import ProductDraft, ProductKind, Size, check_product
from relvan.core.people.roles import Right
from relvan.core.refusal import NotFound, Refusal, Refused, not_found, refuse, refuse_if_any
from relvan.services import audit
from relvan.services.catalogue.complete import settle_completeness
from relvan.services.listings.refresh import refresh_listings
from relvan.services.verdicts import Verdict, for_each, refused_verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store import search
from relvan.store.catalogue import find_product, product_uses
from relvan.store.tables import ListPrice, PriceList, Product, SkuName

PLAIN = (
    "sku", "title", "kind", "brand", "description", "gtin", "category", "attributes",
    "weight_g", "cost", "floor", "tax_code",
)  # fmt: skip


def create_product(workplace: Workplace, actor: Actor, draft: ProductDraft) -> str:
    """Save a new product; return its SKU. Refused with every fault of the draft, and when the SKU is taken."""
    actor.must(Right.CATALOGUE)
    refuse_if_any(check_product(draft))
    with workplace.database.writing() as session:
        create_in(session, workplace, actor, draft)
    return draft.sku


def create_in(session: Session, workplace: Workplace, actor: Actor, draft: ProductDraft) -> Product:
    """The same inside a transaction, for a draft that was checked."""
    _refuse_taken(session, draft, None)
    now = workplace.now()
    product = Product(created_at=now, changed_at=now, **_columns(draft))
    session.add(product)
    session.flush()
    _save_codes(session, product, draft)
    _save_prices(session, product, draft.prices)
    search.index_products(session, [product.id])
    settle_completeness(session, [product.id])
    audit.record(session, actor, now, "product", product.id, "created")
    return product


def change_product(workplace: Workplace, actor: Actor, sku: str, draft: ProductDraft) -> str:
    """Replace what is said of a product; return its SKU, which may be new."""
    actor.must(Right.CATALOGUE)
    refuse_if_any(check_product(draft))
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        _refuse_taken(session, draft, product.id)
        old = draft_of(session, product)
        changes = difference(old, draft)
        if not changes:
            return product.sku
        for name, value in _columns(draft).items():
            setattr(product, name, value)
        product.changed_at = workplace.now()
        session.flush()
        _save_codes(session, product, draft)
        _save_prices(session, product, draft.prices)
        if changes.keys() & {"sku", "title", "gtin", "brand", "aliases"}:
            search.index_products(session, [product.id])
        audit.record(session, actor, workplace.now(), "product", product.id, "changed", changes)
        settle_completeness(session, [product.id])
        refresh_listings(session, workplace, product_ids=[product.id])
    return draft.sku


def archive_products(workplace: Workplace, actor: Actor, skus: Sequence[str], *, archived: bool) -> list[Verdict]:
    """Put products into the archive, or take them out. One that is still offered somewhere stays."""
    actor.must(Right.CATALOGUE)
    return for_each(workplace, skus, lambda session, sku: _archive(session, workplace, actor, sku, archived))


def save_many(
    workplace: Workplace, actor: Actor, drafts: Sequence[tuple[str, ProductDraft | Refused]]
) -> list[Verdict]:
    """Create or change many products, each on its own: one that is refused does not stop the others."""
    verdicts = []
    for sku, draft in drafts:
        try:
            if isinstance(draft, Refused):
                raise draft
            _save(workplace, actor, sku, draft)
            verdicts.append(Verdict(sku, True))
        except Refused as refused:
            verdicts.append(refused_verdict(sku, refused))
    return verdicts


def _save(workplace: Workplace, actor: Actor, sku: str, draft: ProductDraft) -> None:
    try:
        change_product(workplace, actor, sku, draft)
    except NotFound:
        create_product(workplace, actor, draft)


def draft_of(session: Session, product: Product) -> ProductDraft:
    """A saved product as a draft, to change it."""
    aliases = session.scalars(
        select(SkuName.sku).where(SkuName.product_id == product.id, SkuName.alias.is_(True)).order_by(SkuName.sku)
    )
    prices = session.execute(
        select(PriceList.key, ListPrice.amount)
        .join(PriceList, PriceList.id == ListPrice.price_list_id)
        .where(ListPrice.product_id == product.id)
    )
    length, width, height = product.length_mm, product.width_mm, product.height_mm
    size = Size(length, width, height) if length and width and height else None
    values: dict[str, Any] = {name: getattr(product, name) for name in PLAIN}
    values["kind"] = ProductKind(product.kind)
    return ProductDraft(size=size, aliases=tuple(aliases), prices=dict(prices.all()), **values)


def difference(old: ProductDraft, new: ProductDraft) -> dict[str, tuple[Any, Any]]:
    """Each field that differs, with (old, new)."""
    found: dict[str, tuple[Any, Any]] = {}
    for name in PLAIN:
        before, after = getattr(old, name), getattr(new, name)
        if before != after:
            found[name] = (before, after)
    if old.size != new.size:
        found["size"] = (_size_text(old.size), _size_text(new.size))
    if sorted(old.aliases) != sorted(new.aliases):
        found["aliases"] = (list(old.aliases), list(new.aliases))
    for key in sorted({*old.prices, *new.prices}):
        if old.prices.get(key) != new.prices.get(key):
            found[f"price {key}"] = (old.prices.get(key), new.prices.get(key))
    return found


def _size_text(size: Size | None) -> str | None:
    return f"{size.length} x {size.width} x {size.height} mm" if size else None


def _archive(session: Session, workplace: Workplace, actor: Actor, sku: str, archived: bool) -> None:
    product = find_product(session, sku)
    if (product.archived_at is not None) == archived:
        return
    if archived:
        _refuse_in_use(session, product)
    product.archived_at = workplace.now() if archived else None
    audit.record(
        session, actor, workplace.now(), "product", product.id, "archived" if archived else "taken from the archive"
    )


def _refuse_in_use(session: Session, product: Product) -> None:
    from_where = product_uses(session, product.id)
    if from_where:
        message = f"“{product.sku}” is still in use: {from_where}."
        raise refuse("in-use", message, "Take its listings down and finish its orders first.")


def _columns(draft: ProductDraft) -> dict[str, Any]:
    return {
        **{name: getattr(draft, name) for name in PLAIN},
        "kind": str(draft.kind),
        "attributes": dict(draft.attributes),
        "gtin": draft.gtin or None,
        "sku_key": sku_key(draft.sku),
        "gtin_key": gtin_key(draft.gtin) if draft.gtin else None,
        "length_mm": draft.size.length if draft.size else None,
        "width_mm": draft.size.width if draft.size else None,
        "height_mm": draft.size.height if draft.size else None,
    }


def _refuse_taken(session: Session, draft: ProductDraft, product_id: int | None) -> None:
    """SKU and aliases must be free; a GTIN belongs to one product."""
    wanted = {sku_key(draft.sku): "sku", **{sku_key(alias): "aliases" for alias in draft.aliases}}
    rows = session.execute(
        select(SkuName.key, Product.sku, SkuName.product_id)
        .join(Product, Product.id == SkuName.product_id)
        .where(SkuName.key.in_(wanted))
    )
    found = []
    for key, owner, owner_id in rows:
        if owner_id != product_id:
            message = f"“{key.upper()}” is taken already, by {owner}."
            found.append(Refusal("sku-taken", message, "Choose another code.", wanted[key]))
    if draft.gtin:
        statement = select(Product.sku).where(Product.gtin_key == gtin_key(draft.gtin))
        other = session.scalar(statement.where(Product.id != product_id) if product_id else statement)
        if other:
            message = f"“{draft.gtin}” is the GTIN of {other} already."
            found.append(Refusal("gtin-taken", message, "Make this an alias of it, or correct the number.", "gtin"))
    refuse_if_any(found)


def _save_codes(session: Session, product: Product, draft: ProductDraft) -> None:
    session.execute(delete(SkuName).where(SkuName.product_id == product.id))
    session.add(SkuName(key=product.sku_key, sku=product.sku, alias=False, product_id=product.id))
    for alias in draft.aliases:
        session.add(SkuName(key=sku_key(alias), sku=alias, alias=True, product_id=product.id))
    session.flush()


def _save_prices(session: Session, product: Product, prices: Mapping[str, int]) -> None:
    lists = dict(session.execute(select(PriceList.key, PriceList.id)).all())
    for key in prices:
        if key not in lists:
            raise not_found("price list", key)
    session.execute(delete(ListPrice).where(ListPrice.product_id == product.id))
    for key, amount in prices.items():
        session.add(ListPrice(price_list_id=lists[key], product_id=product.id, amount=amount))
    session.flush()
