"""Creating, changing, archiving and putting back products, one or many, with who changed what."""

from collections.abc import Sequence

from sqlalchemy.orm import Session

from relvan.core.catalogue.facts import facts_of, with_facts
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.product import ProductDraft
from relvan.core.people.roles import Right
from relvan.core.refusal import Refused, not_found, refuse_if_any
from relvan.services.catalogue.references import Wish
from relvan.services.catalogue.write import make_wishes, write_wishes
from relvan.services.verdicts import Verdict, refused_verdict
from relvan.services.workplace import Actor, Workplace
from relvan.store.catalogue import find_product
from relvan.store.facts import codes, facts_by_id

CHUNK = 500


def create_product(workplace: Workplace, actor: Actor, draft: ProductDraft) -> str:
    """Save a new product; return its SKU. Refused with every fault of the draft, and when the SKU is taken."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        create_in(session, workplace, actor, draft)
    return draft.sku


def create_in(session: Session, workplace: Workplace, actor: Actor, draft: ProductDraft) -> None:
    """Save a new product inside a transaction; refused with every fault of the draft."""
    _carry_out(session, workplace, actor, make_wishes(session, [(None, facts_of(draft))]))


def change_product(workplace: Workplace, actor: Actor, sku: str, draft: ProductDraft) -> str:
    """Replace what is said of a product; return its SKU, which may be new."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        product = find_product(session, sku)
        facts = facts_of(draft)
        if product.archived_at:
            facts["archived"] = True
        _carry_out(session, workplace, actor, make_wishes(session, [(product.id, facts)]))
    return draft.sku


def _carry_out(session: Session, workplace: Workplace, actor: Actor, wishes: list[Wish]) -> None:
    """All of the wishes or none."""
    refuse_if_any(refusal for wish in wishes for refusal in wish.refusals)
    write_wishes(session, workplace, actor, wishes)
    refuse_if_any(refusal for wish in wishes for refusal in wish.refusals)


def archive_products(workplace: Workplace, actor: Actor, skus: Sequence[str], *, archived: bool) -> list[Verdict]:
    """Put products into the archive, or take them out. One that is still offered somewhere stays."""
    actor.must(Right.CATALOGUE)
    return change_facts(workplace, actor, [(sku, {"archived": archived}) for sku in skus])


def change_facts(
    workplace: Workplace,
    actor: Actor,
    changes: Sequence[tuple[str, dict[str, object]]],
    *,
    right: Right = Right.CATALOGUE,
) -> list[Verdict]:
    """Change some facts of each product; a verdict for each, and one that is refused stops no other."""
    actor.must(right)
    verdicts: list[Verdict] = []
    for start in range(0, len(changes), CHUNK):
        chunk = changes[start : start + CHUNK]
        with workplace.database.writing() as session:
            found = codes(session, [sku for sku, _ in chunk])
            ids = {sku: found[sku_key(sku)][0] for sku, _ in chunk if sku_key(sku) in found}
            old = facts_by_id(session, set(ids.values()))
            wanted = [(ids[sku], with_facts(old[ids[sku]], new)) for sku, new in chunk if sku in ids]
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
    """Create or change many products, in any order; one that is refused stops no other."""
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
        wishes = make_wishes(session, [(product_id, facts_of(draft)) for product_id, (_, _, draft) in pairs])
        write_wishes(session, workplace, actor, wishes)
    for (position, sku, _), wish in zip(wanted, wishes, strict=True):
        verdicts[position] = refused_verdict(sku, Refused(*wish.refusals)) if wish.refusals else Verdict(sku, True)
    return [verdicts[position] for position in range(len(drafts))]
