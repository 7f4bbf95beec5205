"""Defines a picture of a product as the API takes it."""

import base64
from typing import Annotated

from pydantic import ConfigDict

from relvan.api.described import Role, described_text
from relvan.api.shapes import Shape
from relvan.core.catalogue.pictures import PictureRole
from relvan.core.refusal import refuse

PICTURE_NAME = "^[0-9a-f]{64}$"


class PictureShape(Shape):
    """A picture: an existing one by its SHA-256, or a new one as base64 in `content`; `role` is
    main, further or description.
    """

    sha: Annotated[str, described_text(PICTURE_NAME, 64)] | None = None
    width: int | None = None
    height: int | None = None
    content: str | None = None
    role: Role = PictureRole.FURTHER

    def read(self, most_mb: int) -> bytes:
        """Returns the bytes of a new picture."""
        text = (self.content or "").rpartition(",")[2]
        if len(text) > most_mb * 1_400_000:
            raise refuse(
                "too-large",
                f"“Picture” must have at most {most_mb} MB.",
                "Save it smaller.",
                "pictures",
            )
        try:
            return base64.b64decode(text, validate=True)
        except ValueError:
            raise refuse(
                "form", "“Picture” must be base64.", "Or send it as a file.", "pictures"
            ) from None


class ArrangedPicture(PictureShape):
    """A picture of the product, by its SHA-256, at its place among the others."""

    sha: Annotated[str | None, described_text(PICTURE_NAME, 64)] = None
    model_config = ConfigDict(extra="forbid", json_schema_extra={"required": ["sha"]})
