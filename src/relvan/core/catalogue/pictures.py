"""What a picture of a product is for."""

from enum import StrEnum

from relvan.core.refusal import refuse


class PictureRole(StrEnum):
    """The main picture is shown first, further ones after it; one of the description stands in the
    text and not among those that are shown."""

    MAIN = "main"
    FURTHER = "further"
    DESCRIPTION = "description"


def check_role(role: str) -> None:
    """Refuses a role that a picture cannot have."""
    if role not in set(PictureRole):
        message = f"“Role” must be one of {', '.join(PictureRole)}; it got “{role[:40]}”."
        raise refuse("not-allowed", message, "Choose one of them.", "role")
