"""Creates families from loose products or from traits, and moves variants in, out and between them."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from relvan.core.catalogue.facts import Facts, with_facts
from relvan.core.catalogue.families import (
    LooseProduct,
    NewVariant,
    Proposal,
    generate,
    propose,
    widen,
)
from relvan.core.catalogue.identity import sku_key
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.product import ProductKind, Trait
from relvan.core.people.roles import Right
from relvan.core.refusal import not_found, refuse, refuse_if_any
from relvan.services.catalogue.references import ProductWish
from relvan.services.catalogue.write import make_wishes, write_wishes
from relvan.services.workplace import Actor, Workplace
from relvan.store.facts import codes, facts_by_id, traits_of_variants, whole_facts
from relvan.store.session import Session

MOST_MEMBERS = 1_000


@dataclass(frozen=True)
class NewFamily:
    """A family that is to be created: its SKU and title, its traits with their values, and the
    facts that its variants share."""

    sku: str
    title: str
    axes: tuple[Trait, ...]
    shared: Mapping[str, Any]


def propose_family(workplace: Workplace, skus: Sequence[str]) -> Proposal:
    """Proposes traits and values from what differs between products that exist."""
    with workplace.database.reading() as session:
        found = _facts_of(session, skus)
    members = [
        LooseProduct(
            str(facts["sku"]),
            str(facts["title"]),
            {key: str(v) for key, v in Keyed.ATTRIBUTE.of(facts).items()},
        )
        for _, facts in found
    ]
    if len(members) < 2:
        raise refuse(
            "missing", "A family is made of at least two products.", "Tick some more.", "pick"
        )
    return propose(members)


def link_family(
    workplace: Workplace, actor: Actor, family: NewFamily, members: Mapping[str, Mapping[str, str]]
) -> str:
    """Makes existing products the variants of a new family, each with its value on every trait; all
    of them or none."""
    actor.must(Right.CATALOGUE)
    if not 1 <= len(members) <= MOST_MEMBERS:
        raise refuse(
            "too-many",
            f"A family takes 1 to {MOST_MEMBERS} products at once.",
            "Take fewer.",
            "pick",
        )
    with workplace.database.writing() as session:
        axes: Sequence[Trait] = family.axes
        for traits in members.values():
            axes = widen(axes, traits)
        wanted: list[tuple[int | None, Facts]] = [(None, _head(family, axes))]
        for product_id, facts in _facts_of(session, list(members)):
            given = (
                members[str(facts["sku"])]
                if str(facts["sku"]) in members
                else _by_key(members, str(facts["sku"]))
            )
            wanted.append((product_id, _as_variant(facts, family.sku, given)))
        _carry_out(session, workplace, actor, wanted)
    return family.sku


def generate_family(
    workplace: Workplace, actor: Actor, family: NewFamily, sku_pattern: str, title_pattern: str
) -> list[NewVariant]:
    """Creates a family with a variant for every combination of its traits' values; all of them or
    none."""
    actor.must(Right.CATALOGUE)
    variants = generate(sku_pattern, title_pattern, family.axes)
    with workplace.database.writing() as session:
        wanted: list[tuple[int | None, Facts]] = [(None, _head(family, family.axes))]
        wanted += [(None, _new_variant(family.sku, variant)) for variant in variants]
        _carry_out(session, workplace, actor, wanted)
    return variants


def fill_hole(
    workplace: Workplace,
    actor: Actor,
    family_sku: str,
    traits: Mapping[str, str],
    *,
    sku: str,
    title: str,
) -> str:
    """Creates the variant that is missing in a family's grid, or takes an existing product for it."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        known = codes(session, [sku])
        if sku_key(sku) in known:
            (found,) = _facts_of(session, [sku])
            wanted: tuple[int | None, Facts] = (found[0], _as_variant(found[1], family_sku, traits))
        else:
            wanted = (None, _new_variant(family_sku, NewVariant(sku, title or sku, traits)))
        _carry_out(session, workplace, actor, [wanted])
    return sku


def set_traits(workplace: Workplace, actor: Actor, values: Mapping[str, Mapping[str, str]]) -> None:
    """Gives variants other values on their traits, all at once, so that two of them may exchange
    their places."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        wanted: list[tuple[int | None, Facts]] = []
        for product_id, facts in _facts_of(session, list(values), ProductKind.VARIANT):
            given = _by_key(values, str(facts["sku"]))
            names = {name.casefold(): name for name in facts if Keyed.TRAIT.has(name)}
            new = {
                names.get(Keyed.TRAIT.fact(name).casefold(), Keyed.TRAIT.fact(name)): value
                for name, value in given.items()
            }
            wanted.append((product_id, with_facts(facts, new)))
        _carry_out(session, workplace, actor, wanted)


def rename_trait(workplace: Workplace, actor: Actor, family_sku: str, old: str, new: str) -> None:
    """Renames a trait of a family, on the family and on every variant."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        (head,) = _facts_of(session, [family_sku], ProductKind.FAMILY)
        axes = [
            [new if name.casefold() == old.casefold() else name, values]
            for name, values in head[1]["axes"]
        ]
        if axes == head[1]["axes"]:
            raise not_found("trait", old)
        wanted: list[tuple[int | None, Facts]] = [(head[0], {**head[1], "axes": axes})]
        for product_id, facts in facts_by_id(
            session, [i for i, _, _ in traits_of_variants(session, head[0])]
        ).items():
            wanted.append((product_id, _with_renamed(facts, old, new)))
        _carry_out(session, workplace, actor, wanted)


def split_off(workplace: Workplace, actor: Actor, skus: Sequence[str]) -> None:
    """Makes variants singles again. They keep what the family lent them, so nothing is lost."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        variants = _facts_of(session, skus, ProductKind.VARIANT)
        _split_off(session, workplace, actor, [product_id for product_id, _ in variants])


def dissolve(workplace: Workplace, actor: Actor, family_sku: str) -> list[str]:
    """Makes all variants of a family singles and archives the family; returns the SKUs that it had."""
    actor.must(Right.CATALOGUE)
    with workplace.database.writing() as session:
        ((product_id, facts),) = _facts_of(session, [family_sku], ProductKind.FAMILY)
        variants = traits_of_variants(session, product_id)
        _split_off(session, workplace, actor, [variant for variant, _, _ in variants])
        _carry_out(session, workplace, actor, [(product_id, {**facts, "archived": True})])
        return [sku for _, sku, _ in variants]


def _split_off(session: Session, workplace: Workplace, actor: Actor, ids: Sequence[int]) -> None:
    wanted: list[tuple[int | None, Facts]] = []
    for product_id, facts in whole_facts(session, facts_by_id(session, ids)).items():
        kept = {
            name: value
            for name, value in facts.items()
            if name != "family" and not Keyed.TRAIT.has(name)
        }
        lost = {Keyed.ATTRIBUTE.fact(name): value for name, value in Keyed.TRAIT.of(facts).items()}
        wanted.append((product_id, {**lost, **kept, "kind": "single"}))
    _carry_out(session, workplace, actor, wanted)


def _facts_of(
    session: Session, skus: Sequence[str], kind: ProductKind | None = None
) -> list[tuple[int, Facts]]:
    """Returns (id, facts) of products in the order in which they are named. Refused when one does
    not exist or is not of the kind."""
    known = codes(session, skus)
    for sku in skus:
        if sku_key(sku) not in known:
            raise not_found("product", sku)
    ids = list(dict.fromkeys(known[sku_key(sku)][0] for sku in skus))
    found = facts_by_id(session, ids)
    for facts in found.values():
        if kind is not None and facts["kind"] != kind:
            message = f"“{facts['sku']}” must be a {kind}; it is a {facts['kind']}."
            raise refuse("not-allowed", message, "Choose another.", "sku")
    return [(product_id, found[product_id]) for product_id in ids]


def _by_key(values: Mapping[str, Mapping[str, str]], sku: str) -> Mapping[str, str]:
    return next(given for name, given in values.items() if sku_key(name) == sku_key(sku))


def _head(family: NewFamily, axes: Sequence[Trait]) -> Facts:
    named = [[trait.name, list(trait.values)] for trait in axes]
    return with_facts(
        {"sku": family.sku, "title": family.title, "kind": str(ProductKind.FAMILY), "axes": named},
        family.shared,
    )


def _as_variant(facts: Facts, family_sku: str, traits: Mapping[str, str]) -> Facts:
    kept = Keyed.TRAIT.without(facts)
    if kept.get("kind") not in ("single", "variant"):
        message = (
            f"“{facts['sku']}” is a {facts['kind']}; only a single or a variant can join a family."
        )
        raise refuse("not-allowed", message, "Leave it out.", "pick")
    named = {Keyed.TRAIT.fact(name): value.strip() for name, value in traits.items()}
    return {**kept, **named, "kind": "variant", "family": family_sku}


def _new_variant(family_sku: str, variant: NewVariant) -> Facts:
    named = Keyed.TRAIT.named(variant.traits)
    return {
        "sku": variant.sku,
        "title": variant.title,
        "kind": "variant",
        "family": family_sku,
        **named,
    }


def _with_renamed(facts: Facts, old: str, new: str) -> Facts:
    return {
        (Keyed.TRAIT.fact(new) if name.casefold() == Keyed.TRAIT.fact(old).casefold() else name): v
        for name, v in facts.items()
    }


def _carry_out(
    session: Session, workplace: Workplace, actor: Actor, wanted: Sequence[tuple[int | None, Facts]]
) -> list[ProductWish]:
    """Carries out all wishes or none; each refusal names the SKU that it belongs to."""
    wishes = make_wishes(session, wanted)
    refuse_if_any(refusal for wish in wishes for refusal in wish.refusals)
    write_wishes(session, workplace, actor, wishes)
    refuse_if_any(
        refusal for wish in wishes for refusal in wish.refusals if refusal.code != "with-it"
    )
    refuse_if_any(refusal for wish in wishes for refusal in wish.refusals)
    return wishes
