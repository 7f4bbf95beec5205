"""One listing as a whole: as a buyer will see it, what it costs, its margin, and what differs from
what was sent."""

from collections.abc import Mapping
from dataclasses import dataclass

from relvan.core.listings.markup import has_tags, to_html
from relvan.core.listings.rulebook import FieldRule, Rulebook
from relvan.core.prices.fees import MarginOfOne, SoldOne, margin_with_why
from relvan.services.listings.ground import WorkedOut, load_channels, load_ground, work_out
from relvan.services.workplace import Workplace
from relvan.store.listing_list import ListingRow, listing_rows_of
from relvan.store.listings import members_of
from relvan.store.session import Session
from relvan.store.tables import Listing

SHOWN_TAGS = ("p", "b", "i", "ul", "li", "br", "h3")


@dataclass(frozen=True)
class Buyer:
    """What a buyer sees: title, text (as safe HTML when it has tags), details by their labels, and
    the traits of a variant."""

    title: str
    text: str
    tagged: bool
    facts: tuple[tuple[str, str], ...]
    place: str


@dataclass(frozen=True)
class FieldDifference:
    """One thing that the channel shows otherwise than we hold it: its topic, its label, what was
    sent, and what we hold."""

    topic: str
    label: str
    sent: str
    held: str


@dataclass(frozen=True)
class ListingView:
    """All that a listing's page shows of what is worked out."""

    found: WorkedOut
    buyer: Buyer
    margin: MarginOfOne | None
    differences: tuple[FieldDifference, ...]
    family: tuple[ListingRow, ...]


def view_listing(session: Session, workplace: Workplace, listing: Listing) -> ListingView:
    """Returns everything about one listing, with a few queries."""
    ground = load_ground(session, [listing], load_channels(session, workplace))
    found = work_out(listing, ground, workplace)
    settings = ground.channels.settings[listing.channel_id]
    book = workplace.rulebook(settings.channel)
    listed = ground.products[listing.product_id]
    margin = None
    if found.price is not None:
        money, own = found.price.money, workplace.firm.currency
        rate = ground.channels.rates.between(
            own, money.currency
        )  # without one, nobody knows our costs there
        margin = margin_with_why(
            money.amount,
            book.fees,
            SoldOne(
                currency=money.currency,
                cost=listed.cost if rate else None,
                delivery=settings.delivery_cost if rate else None,
                rate=rate[0] if rate and money.currency != own else None,
                tax_code=listed.tax_code,
                tax_inside=settings.price_list.tax_inside,
                tax=ground.channels.tax,
                category=found.category,
            ),
        )
    head_id = (
        listing.head_id if listing.head_id is not None else listing.id if listing.is_head else None
    )
    family: tuple[ListingRow, ...] = ()
    if head_id is not None:
        ids = [head_id, *(member.id for member in members_of(session, [head_id]))]
        family = tuple(sorted(listing_rows_of(session, ids), key=lambda row: not row.is_head))
    return ListingView(
        found,
        _buyer(book, found, listing, listed.product.title),
        margin,
        field_differences(book, listing, found),
        family,
    )


def _buyer(book: Rulebook, found: WorkedOut, listing: Listing, called: str) -> Buyer:
    said = {rule.name: found.told[rule.name] for rule in book.fields}
    title = next((said[rule.name] for rule in book.fields if rule.origin == "title"), "")
    text_rule = next((rule for rule in book.fields if rule.origin == "description"), None)
    text = said[text_rule.name] if text_rule else ""
    beside = {"title", "description"}
    facts = [
        (
            rule.label,
            book.category_name(said[rule.name]) if rule.kind == "category" else said[rule.name],
        )
        for rule in book.fields
        if said[rule.name] and rule.origin not in beside and rule.kind not in ("category", "page")
    ]
    facts = [
        *((trait.theirs or trait.ours, trait.value) for trait in found.place.traits if trait.value),
        *facts,
    ]
    tagged = has_tags(text)
    shown = to_html(text, SHOWN_TAGS) if tagged else text
    if not title and (listing.placed or found.place.part == "member" or book.pages is not None):
        title = listing.sent_fields.get("title") or called  # the page that it stands on decides
    return Buyer(
        title,
        shown,
        tagged,
        tuple(facts),
        book.category_name(found.category) if found.category else "",
    )


def field_differences(
    book: Rulebook, listing: Listing, found: WorkedOut
) -> tuple[FieldDifference, ...]:
    """Returns what is outdated, by topic, with sent and held values; nothing for a listing that has
    no place on the channel."""
    if not listing.placed:
        return ()
    outdated = listing.outdated.split()
    shown: list[FieldDifference] = []
    if "content" in outdated:
        shown += _content(book, listing.sent_fields, found.told)
        if not shown:
            shown.append(FieldDifference("content", "Content", "not known", "as it is held"))
    if "pictures" in outdated:
        sent = listing.sent_fields.get("pictures", "").split()
        shown.append(
            FieldDifference(
                "pictures", "Pictures", _in_thousands(len(sent)), _in_thousands(len(found.pictures))
            )
        )
    return tuple(shown)


def _content(
    book: Rulebook, sent: Mapping[str, str], told: Mapping[str, str]
) -> list[FieldDifference]:
    rules: dict[str, FieldRule] = {rule.name: rule for rule in book.fields}
    names = [*told, *(name for name in sent if name not in told and name != "pictures")]
    found = []
    for name in names:
        before, now = sent.get(name, ""), told.get(name, "")
        if before != now:
            rule = rules.get(name)
            label = rule.label if rule else name.capitalize()
            if rule is not None and rule.kind == "category":
                before, now = (
                    book.category_name(value) if value else "" for value in (before, now)
                )
            found.append(FieldDifference("content", label, before, now))
    return found


def _in_thousands(number: int) -> str:
    return f"{number} {'picture' if number == 1 else 'pictures'}"
