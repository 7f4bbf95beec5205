"""Checks what a product says of other products: codes that are taken, families, parts, and circles
of kits."""

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, field
from functools import cached_property

from relvan.core.catalogue.facts import Changes, Facts, group_of
from relvan.core.catalogue.families import check_traits, combination_key, doubled
from relvan.core.catalogue.identity import gtin_key, sku_key
from relvan.core.catalogue.keyed import Keyed
from relvan.core.catalogue.kits import MOST_DEPTH, circle_refusal, find_circle
from relvan.core.catalogue.product import STOCKED, ProductKind, Trait
from relvan.core.refusal import Refusal
from relvan.store.catalogue import holds_stock, skus_of
from relvan.store.facts import (
    Relative,
    codes,
    combinations,
    owners_of_gtins,
    relatives,
    traits_of_variants,
    variant_ids,
)
from relvan.store.kits import parts_below
from relvan.store.session import Session

# what the check of references looks at
NAMING = frozenset({"sku", "kind", "gtin", "family", Keyed.TRAIT, "axes", "parts", "aliases"})
PART_KINDS = (ProductKind.SINGLE, ProductKind.VARIANT, ProductKind.KIT)


@dataclass(slots=True)
class ProductWish:
    """What one product is to become: its facts before and after. `id` is None for a product that is
    to be created."""

    id: int | None
    old: Facts
    new: Facts
    changes: Changes = field(default_factory=dict)
    refusals: list[Refusal] = field(default_factory=list)

    @property
    def sku(self) -> str:
        """The SKU that it is to have."""
        return str(self.new.get("sku", ""))

    @property
    def kind(self) -> str:
        """The kind that it is to have."""
        return str(self.new.get("kind", ProductKind.SINGLE))

    def touches(self, *names: str) -> bool:
        """Says whether one of these facts changes. A kind of facts that have keys stands for all
        facts of that kind."""
        if any(name in self.changes for name in names):
            return True
        kinds = [name for name in names if isinstance(name, Keyed)]
        return bool(kinds) and any(group_of(name) in kinds for name in self.changes)

    def keep_what_others_need(self) -> None:
        """Drops the facts that only its own changes need, once these are known; this saves memory
        when a file has very many rows."""
        self.new = {name: value for name, value in self.new.items() if group_of(name) in NAMING}
        self.old = {"kind": self.old.get("kind", ProductKind.SINGLE)} if self.old else {}


@dataclass
class Planned:
    """All wishes that belong together, even when they are checked in parts: a wish may name what
    another one creates, and two of them may not claim the same SKU. The claims are kept from part
    to part."""

    by_key: dict[str, ProductWish]
    codes: dict[str, ProductWish] = field(default_factory=dict)
    gtins: dict[str, ProductWish] = field(default_factory=dict)
    places: dict[tuple[str, str], ProductWish] = field(default_factory=dict)

    @classmethod
    def of(cls, wishes: Sequence[ProductWish]) -> "Planned":
        """Collects wishes by the keys of their SKUs."""
        return cls({sku_key(wish.sku): wish for wish in wishes})

    @cached_property
    def moving(self) -> set[int]:
        """The wishes that leave their place in a family."""
        return {
            wish.id
            for wish in self.by_key.values()
            if wish.id is not None and wish.touches("family", Keyed.TRAIT, "kind")
        }

    @cached_property
    def kits(self) -> dict[str, list[str]]:
        """The parts of the kits among the wishes, by key."""
        return {
            key: [sku_key(sku) for sku, _ in wish.new["parts"]]
            for key, wish in self.by_key.items()
            if wish.new.get("parts")
        }

    def depth(self, wish: ProductWish) -> int:
        """Returns how many levels of kits are within a kit; inner kits are written first."""
        if wish.kind != ProductKind.KIT or not self.kits:
            return 0

        def below(key: str, left: int) -> int:
            inner = [part for part in self.kits.get(key, ()) if part in self.kits]
            return 1 + max((below(part, left - 1) for part in inner), default=-1) if left else 0

        return below(sku_key(wish.sku), MOST_DEPTH)


@dataclass
class Surroundings:
    """The other products that the wishes name, together with those that the wishes create."""

    codes: dict[str, tuple[int, str, bool]]
    known: dict[str, Relative]
    plan: Planned

    @property
    def planned(self) -> dict[str, ProductWish]:
        """The wishes that belong together, by key."""
        return self.plan.by_key

    def kind_of(self, sku: str) -> str | None:
        """The kind of the product that a SKU leads to, or none."""
        planned = self.planned.get(sku_key(sku))
        if planned is not None:
            return planned.kind
        found = self.known.get(sku_key(sku))
        return found.kind if found else None

    def axes_of(self, sku: str) -> list[Trait]:
        """The traits of a family."""
        planned = self.planned.get(sku_key(sku))
        found = self.known.get(sku_key(sku))
        axes = planned.new.get("axes", []) if planned is not None else found.axes if found else []
        return [Trait(name, tuple(values)) for name, values in axes]


def check_references(
    session: Session, wishes: Sequence[ProductWish], plan: Planned | None = None
) -> None:
    """Give each wish the refusals that follow from other products. `plan` are the wishes that these
    are a part of."""
    plan = plan or Planned.of(wishes)
    touched = [{*wish.changes, *map(group_of, wish.changes)} for wish in wishes]

    def touching(*names: str) -> list[ProductWish]:
        return [
            wish for wish, its in zip(wishes, touched, strict=True) if not its.isdisjoint(names)
        ]

    coded, related, parted = (
        touching("sku", "aliases"),
        touching("family", Keyed.TRAIT, "kind"),
        touching("parts"),
    )
    named = {str(wish.new["family"]) for wish in related if wish.new.get("family")}
    named |= {str(sku) for wish in parted for sku, _ in wish.new.get("parts", ())}
    wanted = {code for wish in coded for code in _codes_of(wish)}
    around = Surroundings(codes(session, wanted), relatives(session, named), plan)
    _check_codes(coded, around)
    _check_gtins(session, touching("gtin"), plan)
    _check_families(session, related, around)
    _check_axes(session, touching("axes"), around)
    _check_parts(session, parted, around)
    _check_kinds(
        session, [wish for wish in related if wish.id is not None and wish.touches("kind")]
    )


def _codes_of(wish: ProductWish) -> list[str]:
    return [wish.sku, *wish.new.get("aliases", ())]


def _check_codes(wishes: Sequence[ProductWish], around: Surroundings) -> None:
    """Checks that SKUs and aliases are free, in the catalogue and among the wishes."""
    seen = around.plan.codes
    for wish in wishes:
        for code in _codes_of(wish):
            key = sku_key(code)
            place = "sku" if key == sku_key(wish.sku) else "aliases"
            owner = around.codes.get(key)
            if owner is not None and owner[0] != wish.id:
                message = f"“{code}” is taken already, by {owner[1]}."
                wish.refusals.append(Refusal("sku-taken", message, "Choose another code.", place))
            other = seen.setdefault(key, wish)
            if other is not wish:
                message = f"“{code}” is given to {other.sku} as well."
                wish.refusals.append(Refusal("sku-taken", message, "Choose another code.", place))


def _check_gtins(session: Session, wishes: Sequence[ProductWish], plan: Planned) -> None:
    wanted = {gtin_key(wish.new["gtin"]) for wish in wishes if wish.new.get("gtin")}
    owners = owners_of_gtins(session, wanted)
    seen = plan.gtins
    for wish in wishes:
        if not wish.new.get("gtin"):
            continue
        key = gtin_key(wish.new["gtin"])
        other = next(
            (sku for product_id, sku in owners.get(key, ()) if product_id != wish.id), None
        )
        if other is None and seen.setdefault(key, wish) is not wish:
            other = seen[key].sku
        if other is not None:
            message = f"“{wish.new['gtin']}” is the GTIN of {other} already."
            fix = "Make this an alias of it, or correct the number."
            wish.refusals.append(Refusal("gtin-taken", message, fix, "gtin"))


def _check_families(session: Session, wishes: Sequence[ProductWish], around: Surroundings) -> None:
    """Checks that each variant's family is a family, that its traits fit, and that no combination
    exists twice."""
    family_ids = {found.id for found in around.known.values() if found.kind == ProductKind.FAMILY}
    taken = combinations(session, family_ids) if family_ids else {}
    seen, moving = around.plan.places, around.plan.moving
    for wish in wishes:
        family = wish.new.get("family")
        if not family:
            continue
        kind = around.kind_of(family)
        if kind != ProductKind.FAMILY:
            found = "is not in the catalogue" if kind is None else f"is a {kind}"
            message = f"“{family}” must be a family; it {found}."
            wish.refusals.append(Refusal("no-family", message, "Make the family first.", "family"))
            continue
        axes = around.axes_of(family)
        traits = {key: str(v) for key, v in Keyed.TRAIT.of(wish.new).items()}
        if not axes:
            message = f"The family “{family}” has no traits yet."
            fix = "Say what its variants differ by: a column for each trait, such as Glaze."
            wish.refusals.append(Refusal("no-traits", message, fix, "traits"))
            continue
        wish.refusals += check_traits(wish.sku, axes, traits)
        key = combination_key(axes, traits)
        head = around.known.get(sku_key(family))
        other = taken.get((head.id, key)) if head else None
        if other and other[0] != wish.id and other[0] not in moving:
            wish.refusals.append(doubled(wish.sku, other[1], axes, traits))
        first = seen.setdefault((sku_key(family), key), wish)
        if first is not wish:
            wish.refusals.append(doubled(wish.sku, first.sku, axes, traits))


def _check_axes(session: Session, wishes: Sequence[ProductWish], around: Surroundings) -> None:
    """Checks that a family whose traits change keeps those on which its variants have values,
    unless the variants change as well."""
    heads = [wish for wish in wishes if wish.id is not None and wish.kind == ProductKind.FAMILY]
    along = {wish.id for wish in around.planned.values()} if heads else set()
    for wish in heads:
        assert wish.id is not None
        axes = [Trait(name, tuple(values)) for name, values in wish.new.get("axes", [])]
        for variant, sku, traits in traits_of_variants(session, wish.id):
            if variant not in along and (wrong := check_traits(sku, axes, traits)):
                wish.refusals.append(
                    Refusal("traits", wrong[0].message, "Change its variants first.", "axes")
                )
                break


def _check_parts(session: Session, wishes: Sequence[ProductWish], around: Surroundings) -> None:
    """Checks that each part is a single, a variant or a kit, and that no kit contains itself."""
    kits = [wish for wish in wishes if wish.new.get("parts")]
    if not kits:
        return
    known = {found.id: found.sku for found in around.known.values()}
    below = parts_below(
        session, [found.id for found in around.known.values() if found.kind == ProductKind.KIT]
    )
    names = (
        skus_of(session, {*below, *(part for parts in below.values() for part, _ in parts)}) | known
    )
    graph: dict[str, list[str]] = {
        sku_key(names[kit]): [sku_key(names[part]) for part, _ in parts]
        for kit, parts in below.items()
    }
    graph |= around.plan.kits
    spelled = {sku_key(name): name for name in names.values()}
    spelled |= {key: around.planned[key].sku for key in around.plan.kits}
    for wish in kits:
        for sku, _ in wish.new["parts"]:
            kind = around.kind_of(sku)
            if kind not in PART_KINDS:
                found = "is not in the catalogue" if kind is None else f"is a {kind}"
                message = f"“{sku}” must be a single, a variant or a kit to be a part; it {found}."
                wish.refusals.append(Refusal("no-part", message, "Correct the SKU.", "parts"))
        way = find_circle(sku_key(wish.sku), graph)
        if way:
            wish.refusals.append(circle_refusal([spelled.get(key, key) for key in way]))


def _check_kinds(session: Session, turning: Sequence[ProductWish]) -> None:
    """Checks that the kind of a product only changes while nothing depends on it."""
    if not turning:
        return
    stocked = holds_stock(session, [wish.id for wish in turning if wish.id is not None])
    members: dict[int, bool] = defaultdict(bool)
    for wish in turning:
        assert wish.id is not None
        if wish.kind not in STOCKED and wish.id in stocked:
            message = f"“{wish.sku}” has stock, so it cannot become a {wish.kind}."
            wish.refusals.append(
                Refusal("has-stock", message, "Move its stock to another product first.", "kind")
            )
        if wish.old.get("kind") == ProductKind.FAMILY:
            members[wish.id] = bool(variant_ids(session, [wish.id]))
        if members[wish.id]:
            message = f"“{wish.sku}” has variants, so it stays a family."
            wish.refusals.append(
                Refusal("has-variants", message, "Dissolve the family first.", "kind")
            )
