"""Builds chips that come with a link from elsewhere and that a page does not offer itself: a gap,
the drafts of a job, a layer, the page of a family. Each shows the name of what it is about, never a
key or an id.
"""

from collections.abc import Mapping
from typing import Any

from relvan.core.refusal import Refused
from relvan.services.jobs.life import find_job
from relvan.services.workplace import Workplace
from relvan.store.channels import channel_by_key, channel_names
from relvan.store.layers import layer_by_id
from relvan.store.listing_list import listing_rows_of
from relvan.web.desk import whole_id
from relvan.web.sentence import Chip, Choice

KIND_WORDS = {
    "missing": "where it is missing",
    "no category": "where no category is chosen",
    "untranslated": "where a value has no translation",
    "not allowed": "where a value is not allowed",
    "too long": "where it is too long",
    "too short": "where it is too short",
    "wrong form": "where its form is wrong",
    "unsaid": "where wording asks for what the product does not say",
    "refused": "where the channel refused it",
}
# kinds of gaps that are mended on products -> how a list of products says it, with the name of the
# channel
PRODUCT_GAPS = {
    "no stock": "without free stock for {}",
    "no price": "without a price for {}",
    "low price": "with a price below the floor on {}",
    "too few pictures": "with too few pictures for {}",
    "small pictures": "with pictures too small for {}",
}
SEPARATOR = "."


def product_gap_value(channel_key: str, kind: str) -> str:
    """Returns the value of the chip `lacks`."""
    return f"{channel_key}{SEPARATOR}{kind}"


def read_product_gap(value: str) -> tuple[str, str]:
    """Returns (channel's key, kind of gap) of a chip `lacks`, both empty when there is none."""
    channel, _, kind = value.partition(SEPARATOR)
    return channel, kind


def product_gap_chips(session: Any, query: Mapping[str, str]) -> list[Chip]:
    """Returns the chips of a list of products to which a group of gaps led."""
    chips = []
    if value := query.get("lacks"):
        channel, kind = read_product_gap(value)
        name = dict(channel_names(session)).get(channel)
        if name and kind in PRODUCT_GAPS:
            chips.append(Chip("lacks", "Gap", (Choice(value, PRODUCT_GAPS[kind].format(name)),)))
    return [*chips, *drafts_chips(session, query)]


def drafts_chips(session: Any, query: Mapping[str, str]) -> list[Chip]:
    """Returns the chip that names the bulk job whose drafts are meant."""
    value = query.get("drafts", "")
    if whole_id(value) is None:
        return []
    try:
        title = find_job(session, int(value)).title
    except Refused:
        return []
    return [Chip("drafts", "Drafts", (Choice(value, f"drafted by “{title}”"),))]


def listing_chips(session: Any, workplace: Workplace, query: Mapping[str, str]) -> list[Chip]:
    """Returns the chips of a list of listings that a link from elsewhere chose."""
    chips = drafts_chips(session, query)
    if name := query.get("gap"):
        chips.append(
            Chip(
                "gap",
                "Gap",
                (Choice(name, f"with a gap in {_field_name(session, workplace, query, name)}"),),
            )
        )
    if (kind := query.get("kind", "")) in KIND_WORDS:
        chips.append(Chip("kind", "Kind of gap", (Choice(kind, KIND_WORDS[kind]),)))
    if ours := query.get("ours"):
        chips.append(Chip("ours", "Our value", (Choice(ours, f"about our “{ours}”"),)))
    try:
        if (layer := query.get("layer", "")) and whole_id(layer) is not None:
            chips.append(
                Chip(
                    "layer",
                    "Layer",
                    (Choice(layer, f"with the layer “{layer_by_id(session, int(layer)).name}”"),),
                )
            )
        if whole_id(family := query.get("family", "")) is not None and (
            rows := listing_rows_of(session, [int(family)])
        ):
            words = f"on the page of {rows[0].sku} on {rows[0].channel}"
            chips.append(Chip("family", "Family", (Choice(family, words),)))
    except Refused:  # what the link was about is gone: the chip is left out
        pass
    return chips


def _field_name(session: Any, workplace: Workplace, query: Mapping[str, str], name: str) -> str:
    """Returns the label of a field, where the channel is known."""
    try:
        rule = workplace.rulebook(channel_by_key(session, query.get("channel", ""))).field(name)
    except Refused:
        rule = None
    return rule.label if rule else name.replace("_", " ")
