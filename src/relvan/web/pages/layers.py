"""Serves the pages of layers: the list, creating one, changing one with its impact shown first, and
giving them to listings.
"""

from collections.abc import Mapping
from typing import Any

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.listings.layers import STEPS
from relvan.core.listings.rulebook import LAYER_TOPICS, Rulebook
from relvan.core.listings.wording import PRODUCT_FIELDS
from relvan.core.prices.steps import steps_data
from relvan.core.refusal import Refused, refuse
from relvan.services.listings.impact import Impact, impact_of_layer, impact_of_use
from relvan.services.listings.layers import (
    LayerWish,
    change_layer,
    copy_layer,
    drop_layer,
    keep_set,
    make_layer,
    undo_layer,
    use_layers,
    use_set,
)
from relvan.services.listings.previews import attribute_names, preview_wording
from relvan.store.categories import category_paths
from relvan.store.channels import channel_by_key, channel_names, channel_settings
from relvan.store.history import history
from relvan.store.layers import layer_line, layer_lines, layer_sets
from relvan.store.listings import listings_of
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field
from relvan.web.reading import fields_under
from relvan.web.reading_steps import read_steps, step_rows

router = APIRouter(prefix="/listings/layers")
TOPIC_WORDS = {
    "category": "Category and attributes",
    "wording": "Wording",
    "price": "Price",
    "delivery": "Delivery",
    "returns": "Returns",
}
MOST_SAMPLES = 4


@router.get("", name="layer_index")
def layer_index(desk: At, channel: str = "", topic: str = "") -> HTMLResponse:
    """Shows all layers by channel and topic."""
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
        lines = layer_lines(session, channel=channel, topic=topic if topic in LAYER_TOPICS else "")
        sets = layer_sets(session)
        books = {key: desk.workplace.rulebook(channel_by_key(session, key)) for key, _ in named}
    names = {line.id: line.name for line in lines}
    return desk.page(
        "layers/index.html",
        "listings",
        lines=lines,
        named=named,
        channel=channel,
        topic=topic,
        topics=TOPIC_WORDS,
        sets=sets,
        books=books,
        names=names,
    )


@router.get("/new", name="layer_new")
def layer_new(desk: At, channel: str, topic: str) -> HTMLResponse:
    """Shows the form for a new layer."""
    return _form(desk, channel, topic, typed={"name": ""})


@router.post("/new", name="layer_make")
def layer_make(desk: At, form: Form) -> Response:
    """Creates a layer."""
    channel, topic = form.get("channel", ""), form.get("topic", "")
    with desk.workplace.database.reading() as session:
        currency = _list_currency(session, channel)
    try:
        values = _values(form, topic, currency)
        layer_id = make_layer(
            desk.workplace,
            desk.actor,
            LayerWish(channel, topic, form.get("name", ""), values, standing_for=_standing(form)),
        )
    except Refused as refused:
        return _form(desk, channel, topic, typed=dict(form), refused=refused, status=422)
    return desk.done(
        f"/listings/layers/{layer_id}", "The layer is there. Give it to listings, or let it stand."
    )


def _form(
    desk: Desk,
    channel: str,
    topic: str,
    *,
    typed: Mapping[str, str],
    refused: Refused | None = None,
    status: int = 200,
) -> HTMLResponse:
    if topic not in LAYER_TOPICS:
        raise refuse("topic", "A layer needs a topic.", "Choose one.", "topic")
    with desk.workplace.database.reading() as session:
        found = channel_by_key(session, channel)
        values = _ground(desk, session, desk.workplace.rulebook(found), topic)
    return desk.page(
        "layers/show.html",
        "listings",
        status=status,
        line=None,
        channel_name=found.name,
        channel_key=found.key,
        topic=topic,
        topic_words=TOPIC_WORDS[topic],
        typed=typed,
        said={},
        history=[],
        steps=step_rows([{}], ""),
        errors=first_by_field(refused.refusals) if refused else {},
        refusals=refused.refusals if refused else (),
        **values,
    )


def _ground(desk: Desk, session: Any, book: Rulebook, topic: str) -> dict[str, Any]:
    return {
        "book": book,
        "rules": [rule for rule in book.fields if rule.layer == topic],
        "categories": category_paths(session),
        "product_fields": PRODUCT_FIELDS,
        "attribute_names": attribute_names(session),
        "named": channel_names(session),
    }


@router.get("/{layer_id:int}", name="layer_show")
def layer_show(desk: At, layer_id: int) -> HTMLResponse:
    """Shows one layer."""
    return _layer_page(desk, layer_id)


def _layer_page(
    desk: Desk,
    layer_id: int,
    *,
    typed: Mapping[str, str] | None = None,
    refused: Refused | None = None,
    status: int = 200,
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        line = layer_line(session, layer_id)
        book = desk.workplace.rulebook(channel_by_key(session, line.channel_key))
        values = _ground(desk, session, book, line.topic)
        entries = history(session, "layer", layer_id)
        currency = _list_currency(session, line.channel_key)
    said = {name: value for name, value in line.values.items() if name != STEPS}
    return desk.page(
        "layers/show.html",
        "listings",
        status=status,
        line=line,
        channel_name=line.channel,
        channel_key=line.channel_key,
        topic=line.topic,
        topic_words=TOPIC_WORDS[line.topic],
        typed=typed,
        said=said,
        steps=step_rows(line.values.get(STEPS, []), currency),
        history=entries,
        errors=first_by_field(refused.refusals) if refused else {},
        refusals=refused.refusals if refused else (),
        **values,
    )


def _list_currency(session: Any, channel_key: str) -> str:
    """Returns the currency of the price list from which a channel's prices start."""
    channel = channel_by_key(session, channel_key)
    return channel_settings(session)[channel.id].price_list.currency


def _values(form: PostedForm, topic: str, currency: str) -> dict[str, Any]:
    """Returns the values in a layer's form, by field; for the topic price its steps, whose amounts
    are in a currency.
    """
    values: dict[str, Any] = {
        name: value.replace("\r\n", "\n").strip()
        for name, value in fields_under(form, "v_").items()
    }
    if topic == "price":
        steps = steps_data(read_steps(form, currency))
        values |= {STEPS: steps} if steps else {}
    return values


def _standing(form: PostedForm) -> str | None:
    return form.get("category", "") if form.get("stands") == "yes" else None


@router.post("/{layer_id:int}", name="layer_change")
def layer_change(desk: At, form: Form, layer_id: int) -> Response:
    """Changes a layer. Listings that take values from it are worked out again and become outdated
    where they differ.
    """
    with desk.workplace.database.reading() as session:
        line = layer_line(session, layer_id)
        currency = _list_currency(session, line.channel_key)
    try:
        values = _values(form, line.topic, currency)
        change_layer(
            desk.workplace,
            desk.actor,
            layer_id,
            values,
            name=form.get("name", ""),
            standing_for=_standing(form),
        )
    except Refused as refused:
        return _layer_page(desk, layer_id, typed=dict(form), refused=refused, status=422)
    undo = f"/listings/layers/{layer_id}/undo"
    return desk.done(
        f"/listings/layers/{layer_id}", "Saved. Nothing has been sent.", undo_path=undo
    )


@router.post("/{layer_id:int}/impact", name="layer_impact")
def layer_impact(desk: At, form: Form, layer_id: int) -> HTMLResponse:
    """Shows what saving the form would do, before it is saved."""
    with desk.workplace.database.reading() as session:
        line = layer_line(session, layer_id)
        currency = _list_currency(session, line.channel_key)
    try:
        values = _values(form, line.topic, currency)
        impact = impact_of_layer(desk.workplace, layer_id, values, standing_for=_standing(form))
    except Refused as refused:
        return desk.fragment("parts/_refused.html", refusals=refused.refusals)
    return desk.fragment("layers/_impact.html", impact=impact, topic=line.topic)


@router.post("/preview", name="layer_preview")
def layer_preview(desk: At, form: Form) -> HTMLResponse:
    """Shows the wording as it is typed, for real products, with its length and the length that the
    channel allows.
    """
    with desk.workplace.database.reading() as session:
        book = desk.workplace.rulebook(channel_by_key(session, form.get("channel", "")))
    rule = book.field(form.get("field", ""))
    if rule is None:
        raise refuse("unknown", "The channel has no such field.", "Look at its requirements.")
    text = form.get(f"v_{rule.name}", "").replace("\r\n", "\n")
    previews, refusals = preview_wording(
        desk.workplace, rule, text, words=form.get("over", ""), most=MOST_SAMPLES
    )
    return desk.fragment(
        "layers/_preview.html", previews=previews, refusals=refusals, rule=rule, typed=bool(text)
    )


@router.post("/{layer_id:int}/copy", name="layer_copy")
def layer_copy(desk: At, form: Form, layer_id: int) -> Response:
    """Creates a copy of this layer."""
    made = copy_layer(
        desk.workplace, desk.actor, layer_id, form.get("name", ""), form.get("channel", "")
    )
    return desk.done(f"/listings/layers/{made}", "Copied. It speaks for nothing yet.")


@router.post("/{layer_id:int}/undo", name="layer_undo")
def layer_undo(desk: At, form: Form, layer_id: int) -> Response:
    """Undoes the last change."""
    undo_layer(desk.workplace, desk.actor, layer_id)
    return desk.done(f"/listings/layers/{layer_id}", "Taken back.")


@router.post("/{layer_id:int}/drop", name="layer_drop")
def layer_drop(desk: At, form: Form, layer_id: int) -> Response:
    """Deletes a layer."""
    drop_layer(desk.workplace, desk.actor, layer_id)
    return desk.done("/listings/layers", "The layer is gone.")


@router.post("/sets", name="layer_set_keep")
def layer_set_keep(desk: At, form: Form) -> Response:
    """Saves layers as a set under one name."""
    wanted = {topic: form.id_of(f"set_{topic}") for topic in fields_under(form, "set_")}
    layers = {topic: layer_id for topic, layer_id in wanted.items() if layer_id is not None}
    keep_set(desk.workplace, desk.actor, form.get("channel", ""), form.get("name", ""), layers)
    return desk.done(f"/listings/layers?channel={form.get('channel', '')}", "The set is kept.")


def _ticked(desk: Desk, form: PostedForm) -> tuple[list[int], str]:
    """Returns the ticked listings, and their channel's key when they are all on one."""
    ids = form.ids("pick")
    with desk.workplace.database.reading() as session:
        found = {one.channel_id for one in listings_of(session, listing_ids=ids)}
        keys = [
            key for key, _ in channel_names(session) if channel_by_key(session, key).id in found
        ]
    return ids, keys[0] if len(keys) == 1 else ""


@router.post("/panel", name="layer_panel")
def layer_panel(desk: At, form: Form) -> HTMLResponse:
    """Shows the layers that the ticked listings can be given."""
    ids, key = _ticked(desk, form)
    with desk.workplace.database.reading() as session:
        lines = layer_lines(session, channel=key) if key else []
        sets = layer_sets(session, channel_by_key(session, key).id) if key else []
    by_topic = {topic: [line for line in lines if line.topic == topic] for topic in LAYER_TOPICS}
    return desk.fragment(
        "layers/_panel.html",
        count=len(ids),
        channel_key=key,
        by_topic=by_topic,
        topics=TOPIC_WORDS,
        sets=sets,
    )


def _chosen(form: PostedForm) -> dict[str, int | None]:
    """Returns the topics that were chosen in the panel, each with a layer's id, or None to remove
    the layer.
    """
    chosen: dict[str, int | None] = {}
    for topic in LAYER_TOPICS:
        name = f"layer_{topic}"
        if form.get(name):
            chosen[topic] = None if form[name] == "none" else form.id_of(name)
    return chosen


@router.post("/panel/impact", name="layer_use_impact")
def layer_use_impact(desk: At, form: Form) -> HTMLResponse:
    """Shows what giving these layers would change."""
    impact: Impact = impact_of_use(desk.workplace, form.ids("pick"), _chosen(form))
    return desk.fragment("layers/_impact.html", impact=impact, topic="")


@router.post("/use", name="layer_use")
def layer_use(desk: At, form: Form) -> Response:
    """Gives the ticked listings layers, or the layers of a set."""
    ids = form.ids("pick")
    set_id = form.id_of("set")
    if set_id is not None:
        use_set(desk.workplace, desk.actor, ids, set_id)
    else:
        chosen = _chosen(form)
        if not chosen:
            raise refuse("missing", "No layer is chosen.", "Choose one for a topic.", "layer")
        use_layers(desk.workplace, desk.actor, ids, chosen)
    back = form.get("back", "")
    path = back if back.startswith("/listings") else "/listings"
    words = (
        f"Given to {len(ids)} {'listing' if len(ids) == 1 else 'listings'}. Nothing has been sent."
    )
    return desk.done(path, words)
