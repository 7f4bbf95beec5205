"""Layers: sets of listing values for one topic that many listings share, and which of them apply to
a listing."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from relvan.core.catalogue.attributes import SEPARATOR
from relvan.core.listings.rulebook import LAYER_TOPICS, LayerTopic, Rulebook
from relvan.core.listings.wording import check_wording
from relvan.core.prices.steps import PriceStep, check_steps, steps_from
from relvan.core.refusal import Refusal, Refused

MOST_NAME = 80
MOST_VALUE = 20_000
STEPS = "price_steps"


@dataclass(frozen=True)
class Layer:
    """Values by field for one topic; a layer of the topic *price* holds price steps instead.

    `standing_for` makes it a default layer: it is the category of the seller's tree whose listings
    use it when they have no layer of the topic of their own. "" stands for all categories; None
    means that it is no default layer.
    """

    id: int
    topic: LayerTopic
    name: str
    values: Mapping[str, str] = field(default_factory=dict)
    steps: tuple[PriceStep, ...] | None = None
    standing_for: str | None = None


Layers = Mapping[str, Layer]
NO_LAYERS: Layers = {}


def layer_from(
    layer_id: int, topic: LayerTopic, name: str, values: Mapping[str, Any], standing: str | None
) -> Layer:
    """Reads a layer from plain data."""
    said = {key: str(value) for key, value in values.items() if key != STEPS}
    steps = steps_from(values[STEPS]) if topic == "price" and STEPS in values else None
    return Layer(layer_id, topic, name, said, steps, standing)


def check_layer(book: Rulebook, topic: str, name: str, values: Mapping[str, Any]) -> list[Refusal]:
    """Checks that a layer has a name, a topic and values for fields of that topic, and that its
    wording can be used."""
    found = []
    if not name.strip() or len(name) > MOST_NAME:
        found.append(
            Refusal(
                "name",
                f"“Name” must have 1 to {MOST_NAME} characters.",
                "Name it after its use.",
                "name",
            )
        )
    if topic not in LAYER_TOPICS:
        known = ", ".join(LAYER_TOPICS)
        return [
            *found,
            Refusal("topic", f"“Topic” must be one of {known}.", "Choose one.", "topic"),
        ]
    for key, value in values.items():
        found += _check_value(book, topic, key, value)
    return found


def _check_value(book: Rulebook, topic: str, key: str, value: Any) -> list[Refusal]:
    if key == STEPS and topic == "price":
        try:
            return check_steps(steps_from(value))
        except Refused as refused:
            return list(refused.refusals)
    rule = book.field(key)
    if rule is None or rule.layer != topic:
        message = (
            f"{book.name} has no field “{key[:40]}” that a layer of the topic {topic} may set."
        )
        return [Refusal("unknown", message, "Look at its requirements.", key)]
    if not isinstance(value, str) or len(value) > MOST_VALUE:
        return [
            Refusal(
                "form",
                f"“{rule.label}” must be text of at most {MOST_VALUE:,} characters.",
                "",
                key,
            )
        ]
    if any(ord(character) < 32 and character not in "\n\r\t" for character in value):
        return [
            Refusal(
                "form", f"“{rule.label}” must be plain text.", "Remove control characters.", key
            )
        ]
    return check_wording(value, key) if topic == "wording" else []


def standing_layers(layers: Iterable[Layer], category: str) -> dict[str, Layer]:
    """Returns the default layer of each topic for a category of the seller's tree; of several the
    one of the nearest category above counts."""
    found: dict[str, Layer] = {}
    for layer in layers:
        if layer.standing_for is None or not _is_within(category, layer.standing_for):
            continue
        there = found.get(layer.topic)
        if there is None or len(there.standing_for or "") < len(layer.standing_for):
            found[layer.topic] = layer
    return found


def _is_within(category: str, above: str) -> bool:
    ours, wanted = category.casefold(), above.casefold()
    return not wanted or ours == wanted or ours.startswith(f"{wanted}{SEPARATOR.casefold()}")


def layers_of(chosen: Sequence[Layer], standing: Mapping[str, Layer]) -> Layers:
    """Returns the layers that apply to a listing: of each topic its own layer, else the default
    layer."""
    if not chosen:
        return standing
    return {**standing, **{layer.topic: layer for layer in chosen}}
