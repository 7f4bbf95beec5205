"""What a channel refused about a listing, and how long each refusal stays valid."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.channels.sending import Topic

NUMBERS = (Topic.PRICE, Topic.QUANTITY)


@dataclass(frozen=True)
class ListingProblem:
    """One thing that a channel refused: the field ("" when it named none that we know), its words,
    the topic, and in `was` the value that we had sent."""

    field: str
    says: str
    topic: str
    was: str


@dataclass(frozen=True)
class Said:
    """What a listing says to its channel: its fields, a checksum of all of them together, and its
    numbers by topic."""

    fields: Mapping[str, str]
    mark: str
    numbers: Mapping[str, int | None]

    def about(self, topic: str, field: str) -> str:
        """Returns what the listing says where a problem lies: a number, a field, or all of the
        content."""
        number = topic if topic in NUMBERS else field
        if number in NUMBERS:
            return str(self.numbers.get(number))
        return f"{field}: {self.fields.get(field, '')}" if field else self.mark


def keep_problems(
    topic: str, problems: Sequence[tuple[str, str]], said: Said
) -> list[ListingProblem]:
    """Returns the problems of (field, words) together with what was said in their place when the
    channel refused."""
    return [
        ListingProblem(field, words, topic, said.about(topic, field)) for field, words in problems
    ]


def still_standing(problems: Sequence[ListingProblem], said: Said) -> list[ListingProblem]:
    """Returns the problems that still hold: those whose place still says what it said when the
    channel refused."""
    return [
        problem for problem in problems if said.about(problem.topic, problem.field) == problem.was
    ]


def after_accepting(problems: Sequence[ListingProblem], topic: str) -> list[ListingProblem]:
    """Returns the problems that remain when the channel accepts an update. A whole listing ends all
    of them, any other update those of its own topic."""
    if topic == Topic.PUBLISH:
        return []
    ended = {Topic.PUBLISH, Topic.CONTENT} if topic == Topic.CONTENT else {topic}
    return [problem for problem in problems if problem.topic not in ended]
