"""Creates, changes, archives and restores products, one or many, and notes who changed what."""

from collections.abc import Sequence

from relvan.core.catalogue.facts import facts_of, with_facts
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import ProductDraft
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, not_found, refuse_if_any
from relvan.services.catalogue.references import ProductWish
from relvan.services.catalogue.write import make_wishes, write_wishes
from relvan.services.verdicts import Verdict, refused_verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.facts import codes, facts_by_id
from relvan.store.session import Session

CHUNK = 500


def create_product(workplace: Workplace, actor: Actor, draft: ProductDraft) -> str:
    """Saves a new product and returns its SKU. Refused with all that is wrong with the draft, and
    when the SKU is taken."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        create_in(session, workplace, actor, draft)
    return draft.sku


def create_in(session: Session, workplace: Workplace, actor: Actor, draft: ProductDraft) -> None:
    """Saves a new product inside a transaction. Refused with all that is wrong with the draft."""
    _carry_out(session, workplace, actor, make_wishes(session, [(None, facts_of(draft))]))


def change_product(workplace: Workplace, actor: Actor, sku: str, draft: ProductDraft) -> str:
    """Replaces the facts of a product; returns its SKU, which may be a new one."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        facts = facts_of(draft)
        if product.archived_at:
            facts["archived"] = True
        _carry_out(session, workplace, actor, make_wishes(session, [(product.id, facts)]))
    return draft.sku


def _carry_out(
    session: Session, workplace: Workplace, actor: Actor, wishes: list[ProductWish]
) -> None:
    """Carries out all wishes or none."""
    refuse_if_any(refusal for wish in wishes for refusal in wish.refusals)
    write_wishes(session, workplace, actor, wishes)
    refuse_if_any(refusal for wish in wishes for refusal in wish.refusals)


def archive_products(
    workplace: Workplace, actor: Actor, skus: Sequence[str], *, archived: bool
) -> list[Verdict]:
    """Archives or restores products. A product that is still listed somewhere is not archived."""
    actor.must(Right.CATALOGUE)
    return change_facts(workplace, actor, [(sku, {"archived": archived}) for sku in skus])


def change_facts(
    workplace: Workplace,
    actor: Actor,
    changes: Sequence[tuple[str, dict[str, object]]],
    *,
    right: Right = Right.CATALOGUE,
) -> list[Verdict]:
    """Changes some facts of each product. Returns a verdict for each; a refused one does not stop
    the others."""
    actor.must(right)
    verdicts: list[Verdict] = []
    for start in range(0, len(changes), CHUNK):
        chunk = changes[start : start + CHUNK]
        with workplace.database.writing() as session:
            found = codes(session, [sku for sku, _ in chunk])
            ids = {sku: found[sku_key(sku)][0] for sku, _ in chunk if sku_key(sku) in found}
            old = facts_by_id(session, set(ids.values()))
            wanted = [
                (ids[sku], with_facts(old[ids[sku]], new)) for sku, new in chunk if sku in ids
            ]
            wishes = make_wishes(session, wanted, old=old)
            write_wishes(session, workplace, actor, wishes)
        by_id = {wish.id: wish for wish in wishes}
        for sku, _ in chunk:
            if sku not in ids:
                verdicts.append(refused_verdict(sku, not_found("product", sku)))
            elif by_id[ids[sku]].refusals:
                verdicts.append(refused_verdict(sku, Refused(*by_id[ids[sku]].refusals)))
            else:
                verdicts.append(Verdict(sku, True))
    return verdicts


def save_many(
    workplace: Workplace, actor: Actor, drafts: Sequence[tuple[str, ProductDraft | Refused]]
) -> list[Verdict]:
    """Creates or changes many products, in any order; a refused one does not stop the others."""
    actor.must(Right.CATALOGUE)
    verdicts: dict[int, Verdict] = {}
    wanted: list[tuple[int, str, ProductDraft]] = []
    for position, (sku, draft) in enumerate(drafts):
        if isinstance(draft, Refused):
            verdicts[position] = refused_verdict(sku, draft)
        else:
            wanted.append((position, sku, draft))
    with workplace.database.writing() as session:
        found = codes(session, [sku for _, sku, _ in wanted])
        ids = [found[sku_key(sku)][0] if sku_key(sku) in found else None for _, sku, _ in wanted]
        pairs = zip(ids, wanted, strict=True)
        wishes = make_wishes(
            session, [(product_id, facts_of(draft)) for product_id, (_, _, draft) in pairs]
        )
        write_wishes(session, workplace, actor, wishes)
    for (position, sku, _), wish in zip(wanted, wishes, strict=True):
        verdicts[position] = (
            refused_verdict(sku, Refused(*wish.refusals)) if wish.refusals else Verdict(sku, True)
        )
    return [verdicts[position] for position in range(len(drafts))]
