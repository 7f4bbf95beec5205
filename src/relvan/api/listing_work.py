"""Serves layers, translations, coverage, gaps and catalogue pages over HTTP."""

from dataclasses import asdict
from typing import Annotated, Any

from fastapi import Depends, Query

from relvan.api.described import described_text
from relvan.api.desk import By, Caller, Cursor, IdOrNone, Limit, YesOrNo, api_router, page_of
from relvan.api.listing_shapes import (
    LayerChange,
    LayerUse,
    LayerValues,
    NewLayer,
    NewLayerSet,
    PageChoices,
    PageWords,
    TranslationEntries,
    Wording,
)
from relvan.core.listings.translating import Translation, TranslationKind
from relvan.core.refusal import not_found, refuse
from relvan.services.listings.categories import find_categories
from relvan.services.listings.impact import Impact, impact_of_layer
from relvan.services.listings.layers import (
    LayerWish,
    change_layer,
    keep_set,
    make_layer,
    undo_layer,
    use_layers,
    use_set,
)
from relvan.services.listings.pages import choose_pages, search_pages
from relvan.services.listings.previews import preview_wording
from relvan.services.listings.translations import set_translations, untranslated
from relvan.store.channels import channel_by_key, channel_names
from relvan.store.coverage import WAYS, CoverageFilter, coverage_page
from relvan.store.gaps import gap_groups
from relvan.store.layers import LayerLine, layer_line, layer_lines, layer_sets, translation_lines
from relvan.store.listing_list import ListingFilter
from relvan.store.pages import page_rows

router = api_router(tags=["listing work"])


def _layer(line: LayerLine) -> dict[str, Any]:
    return {
        "id": line.id,
        "channel": line.channel_key,
        "topic": line.topic,
        "name": line.name,
        "values": line.values,
        "standing_for": line.standing_for,
        "used_by": line.used_by,
    }


def _layer_by_id(by: Caller, layer_id: int) -> dict[str, Any]:
    with by.workplace.database.reading() as session:
        return _layer(layer_line(session, layer_id))


@router.get("/layers")
def list_layers(by: By, channel: str = "", topic: str = "") -> dict[str, Any]:
    """Returns layers by channel, topic and name."""
    with by.workplace.database.reading() as session:
        items = [_layer(line) for line in layer_lines(session, channel=channel, topic=topic)]
    return {"items": items, "next": None}


@router.post("/layers", status_code=201)
def post_layer(by: By, wish: NewLayer) -> dict[str, Any]:
    """Creates a layer."""
    layer_id = make_layer(
        by.workplace,
        by.actor,
        LayerWish(wish.channel, wish.topic, wish.name, wish.values, standing_for=wish.standing_for),
    )
    return _layer_by_id(by, layer_id)


@router.get("/layers/{layer_id}")
def get_layer(by: By, layer_id: int) -> dict[str, Any]:
    """Returns one layer."""
    return _layer_by_id(by, layer_id)


@router.patch("/layers/{layer_id}")
def patch_layer(by: By, layer_id: int, change: LayerChange) -> dict[str, Any]:
    """Changes a layer. Listings that take values from it become outdated where they differ, and
    nothing is sent.
    """
    more = (
        {"standing_for": change.standing_for} if "standing_for" in change.model_fields_set else {}
    )
    change_layer(by.workplace, by.actor, layer_id, change.values, name=change.name, **more)
    return _layer_by_id(by, layer_id)


@router.get("/layers/{layer_id}/impact")
def get_impact(by: By, layer_id: int) -> dict[str, Any]:
    """Returns all listings that take values from the layer."""
    with by.workplace.database.reading() as session:
        line = layer_line(session, layer_id)
    return _impact(impact_of_layer(by.workplace, layer_id, {}), line.used_by)


@router.post("/layers/{layer_id}/impact")
def post_impact(by: By, layer_id: int, wish: LayerValues) -> dict[str, Any]:
    """Says what would happen if the layer had these values, and changes nothing."""
    found = impact_of_layer(by.workplace, layer_id, wish.values)
    return _impact(found, found.listings)


def _impact(impact: Impact, listings: int) -> dict[str, Any]:
    return {
        "listings": listings,
        "changed": impact.changed,
        "behind": impact.outdated,
        "fields": dict(impact.fields),
        "prices": impact.prices,
        "samples": [asdict(sample) for sample in impact.samples],
    }


@router.post("/layers/{layer_id}/undo")
def post_layer_undo(by: By, layer_id: int) -> dict[str, Any]:
    """Undoes the last change of a layer."""
    undo_layer(by.workplace, by.actor, layer_id)
    return _layer_by_id(by, layer_id)


@router.post("/layers/use")
def post_layer_use(by: By, wish: LayerUse) -> dict[str, Any]:
    """Gives listings layers, or all layers of a set."""
    if wish.set is not None:
        use_set(by.workplace, by.actor, wish.ids, wish.set)
    else:
        use_layers(by.workplace, by.actor, wish.ids, wish.layers)
    return {"listings": len(set(wish.ids))}


@router.get("/layer-sets")
def list_layer_sets(by: By) -> dict[str, Any]:
    """Returns the sets of layers."""
    with by.workplace.database.reading() as session:
        items = [
            {"id": one.id, "name": one.name, "layers": one.layers} for one in layer_sets(session)
        ]
    return {"items": items, "next": None}


@router.post("/layer-sets", status_code=201)
def post_layer_set(by: By, wish: NewLayerSet) -> dict[str, Any]:
    """Saves layers as a set under one name."""
    return {
        "id": keep_set(by.workplace, by.actor, wish.channel, wish.name, wish.layers),
        "name": wish.name,
    }


@router.post("/wording/preview")
def post_preview(by: By, wish: Wording) -> dict[str, Any]:
    """Returns wording filled in for a few products, with its length and the length that the channel
    allows.
    """
    with by.workplace.database.reading() as session:
        rule = by.workplace.rulebook(channel_by_key(session, wish.channel)).field(wish.field)
    if rule is None:
        raise not_found("field", wish.field)
    previews, refusals = preview_wording(by.workplace, rule, wish.text, words=wish.q)
    if refusals:
        raise refuse(refusals[0].code, refusals[0].message, refusals[0].fix, wish.field)
    return {"items": [asdict(one) for one in previews], "most": rule.most, "least": rule.least}


@router.get("/channels/{channel}/translations")
def list_translations(by: By, channel: str) -> dict[str, Any]:
    """Returns a channel's translation table, and the values that it lacks."""
    with by.workplace.database.reading() as session:
        channel_by_key(session, channel)
        items = [
            {
                "kind": one.kind,
                "field": one.field,
                "ours": one.ours,
                "theirs": one.theirs,
                "category": one.category,
            }
            for one in translation_lines(session, channel)
        ]
        lacking = [
            {
                "kind": one.kind.value,
                "field": one.field,
                "ours": one.ours,
                "listings": one.count,
                "proposal": one.proposal,
                "because": one.because,
                "choices": [key for key, _ in one.choices],
            }
            for one in untranslated(session, by.workplace, channel)
        ]
    return {"items": items, "next": None, "untranslated": lacking}


@router.post("/channels/{channel}/translations")
def post_translations(by: By, channel: str, wish: TranslationEntries) -> dict[str, Any]:
    """Saves entries of a channel's translation table, all or none."""
    entries = [
        Translation(TranslationKind(one.kind), one.field, one.ours, one.theirs, one.category)
        for one in wish.items
    ]
    set_translations(by.workplace, by.actor, channel, entries)
    return list_translations(by, channel)


@router.get("/channels/{key}/categories")
def list_categories(by: By, key: str, q: str = "", listing: IdOrNone = None) -> dict[str, Any]:
    """Returns the categories of a channel, all or those that words find, with the fields that each
    needs besides what all need; with `listing`, those that fit it.
    """
    with by.workplace.database.reading() as session:
        found = find_categories(session, by.workplace, key, q, listing)
        book = by.workplace.rulebook(channel_by_key(session, key))
    shown = book.categories if found.branches is not None else found.found
    return {
        "items": [
            {"key": one.key, "path": one.name, "needs": found.asks[one.key]} for one in shown
        ],
        "suggested": [
            {"key": one.key, "path": one.name, "because": one.because} for one in found.suggested
        ],
    }


# a channel, a colon, and where a product is on it
Place = Annotated[str, described_text(f"^[a-z]+:(?:not|{'|'.join(WAYS)})$", 60)]


def coverage_asked(
    q: str = "",
    category: str = "",
    in_stock: YesOrNo = None,
    at: Annotated[list[Place] | None, Query()] = None,
) -> CoverageFilter:
    """Returns the filter that the query of `GET /coverage` describes."""
    wanted = dict(one.partition(":")[::2] for one in at or [])
    wrong = [way for way in wanted.values() if way != "not" and way not in WAYS]
    if wrong:
        raise refuse(
            "not-allowed",
            f"“At” must be one of not, {', '.join(WAYS)}.",
            f"It got “{wrong[0][:20]}”.",
            "at",
        )
    return CoverageFilter(q, category, in_stock, wanted)


@router.get("/coverage")
def get_coverage(
    by: By,
    wanted: Annotated[CoverageFilter, Depends(coverage_asked)],
    limit: Limit = 50,
    after: str = "",
) -> dict[str, Any]:
    """Returns products by channels, with families folded. `at` says how they stand:
    `at=corvello:not&at=hagglet:selling`.
    """
    with by.workplace.database.reading() as session:
        known = dict(channel_names(session))
        strange = [key for key in wanted.at if key not in known]
        if strange:
            raise not_found("channel", strange[0])
        rows, following = page_of(
            coverage_page(session, wanted, after=after, limit=limit + 1),
            limit,
            lambda row: row.sku.casefold(),
        )
    items = [
        {
            "sku": row.sku,
            "title": row.title,
            "kind": row.kind,
            "free": row.free,
            "variants": row.variants,
            "channels": {
                key: {
                    "listing": cell.listing_id,
                    "state": cell.state,
                    "met": cell.met,
                    "demands": cell.demands,
                    "states": cell.states,
                }
                for key, cell in row.cells.items()
            },
        }
        for row in rows
    ]
    return {"items": items, "next": following}


@router.get("/gaps")
def get_gaps(by: By, channel: str = "", q: str = "") -> dict[str, Any]:
    """Returns the gaps of all listings, by what mends them."""
    with by.workplace.database.reading() as session:
        groups = gap_groups(session, ListingFilter(words=q, channel=channel))
    items = [
        {
            "channel": one.channel_key,
            "field": one.field,
            "kind": one.kind,
            "mend": one.mend,
            "ours": one.ours,
            "nearest": one.nearest,
            "count": one.count,
            "message": one.message,
        }
        for one in groups
    ]
    return {"items": items, "next": None}


@router.get("/catalogue-pages")
def list_pages(by: By, channel: str = "", limit: Limit = 50, after: Cursor = 0) -> dict[str, Any]:
    """Returns listings that need a page of their channel's catalogue, with the candidates once they
    have been looked for.
    """
    with by.workplace.database.reading() as session:
        rows, following = page_of(
            page_rows(session, channel=channel, after=after, limit=limit + 1),
            limit,
            lambda row: row.listing_id,
        )
    items = [
        {
            "id": row.listing_id,
            "channel": row.channel_key,
            "sku": row.sku,
            "title": row.title,
            "brand": row.brand,
            "gtin": row.gtin or None,
            "candidates": row.candidates,
        }
        for row in rows
    ]
    return {"items": items, "next": following}


@router.post("/catalogue-pages/choose")
def post_pages(by: By, wish: PageChoices) -> dict[str, Any]:
    """Chooses catalogue pages for listings, or asks the channel for new ones."""
    by_reason: dict[str, dict[int, str]] = {}
    for one in wish.items:
        by_reason.setdefault(one.reason, {})[one.id] = one.page
    for reason, chosen in by_reason.items():
        choose_pages(by.workplace, by.actor, chosen, reason=reason)
    return {"chosen": len(wish.items)}


@router.post("/listings/{listing_id}/pages")
def post_page_search(by: By, listing_id: int, wish: PageWords) -> dict[str, Any]:
    """Looks for catalogue pages of one listing by words."""
    return {
        "items": [
            asdict(one) for one in search_pages(by.workplace, by.actor, listing_id, wish.words)
        ]
    }
