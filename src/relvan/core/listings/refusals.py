"""What a channel said against a listing, and how long it holds."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from relvan.core.channels.sending import Topic

NUMBERS = (Topic.PRICE, Topic.QUANTITY)


@dataclass(frozen=True)
class Problem:
    """One thing that a channel refused: the field ("" when it named none that we know), its words, on which topic, and
    `was`: what we said there."""

    field: str
    says: str
    topic: str
    was: str


@dataclass(frozen=True)
class Said:
    """What a listing says to its channel: its fields, a mark of all of them together, and its numbers by topic."""

    fields: Mapping[str, str]
    mark: str
    numbers: Mapping[str, int | None]

    def about(self, topic: str, field: str) -> str:
        """What is said where a problem lies: in a number, in a field, or in all of the content."""
        number = topic if topic in NUMBERS else field
        if number in NUMBERS:
            return str(self.numbers.get(number))
        return f"{field}: {self.fields.get(field, '')}" if field else self.mark


def keep_problems(topic: str, problems: Sequence[tuple[str, str]], said: Said) -> list[Problem]:
    """The problems of (field, words) with what was said in their place when the channel refused."""
    return [Problem(field, words, topic, said.about(topic, field)) for field, words in problems]


def still_standing(problems: Sequence[Problem], said: Said) -> list[Problem]:
    """The problems whose place says what it said when the channel refused: a change elsewhere mends nothing."""
    return [problem for problem in problems if said.about(problem.topic, problem.field) == problem.was]


def after_accepting(problems: Sequence[Problem], topic: str) -> list[Problem]:
    """What is left when the channel accepts an update: a whole listing ends all, anything else its own topic."""
    if topic == Topic.PUBLISH:
        return []
    ended = {Topic.PUBLISH, Topic.CONTENT} if topic == Topic.CONTENT else {topic}
    return [problem for problem in problems if problem.topic not in ended]
