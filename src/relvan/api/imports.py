"""Serves import and export of files over HTTP, saved mappings, and changes of many products at
once.
"""

import json
from dataclasses import replace
from typing import Annotated, Any

from fastapi import Depends, File, Form, UploadFile
from fastapi.responses import StreamingResponse
from pydantic import BaseModel, ConfigDict, Field, WithJsonSchema

from relvan.api.described import Flag, described, described_object, described_text
from relvan.api.desk import By, Matching, OneOf, YesOrNo, api_router, gives_file
from relvan.api.jobs import job_shape
from relvan.api.shapes import Shape
from relvan.core.catalogue.bulk import NEEDING_A_VALUE, NOT_IN_BULK, OPERATIONS, Operation
from relvan.core.catalogue.facts import NAMES
from relvan.core.catalogue.keyed import Keyed
from relvan.core.imports.cells import DATE_ORDERS, NO, YES
from relvan.core.imports.columns import FileKind
from relvan.core.imports.kinds import KINDS
from relvan.core.refusal import refuse
from relvan.core.texts import SAYING, SEEN_NAME, WORDS, WORDS_IN_LINES
from relvan.services.bulk.take_out import EXPORTED, FORMS, TakenOut, columns_for, take_out, template
from relvan.services.catalogue.bulk import change_many
from relvan.services.imports.mappings import drop_mapping, keep_mapping
from relvan.services.imports.receive import MOST_BYTES, NewFile, change_mapping, receive_file
from relvan.services.prices.lists import LIST_KEY
from relvan.store.imports import mappings
from relvan.store.product_list import ProductFilter

FILE_MEDIA = [media.partition(";")[0] for media in FORMS.values()]
OfKind = Annotated[str, described(FileKind)]
OfExport = Annotated[str, described(EXPORTED)]
OfForm = Annotated[str, described(FORMS)]
router = api_router(tags=["files and bulk changes"])


MAPPED_COLUMN = described_object(
    ("heading",),
    heading={"type": "string"},
    name={"type": ["string", "null"]},
    decimal={"enum": [".", ",", None]},
    dates={"enum": [*DATE_ORDERS, None]},
    unit={"type": ["string", "null"]},
    constant={"type": ["string", "number", "null"]},
)


class MappingShape(Shape):
    """A mapping to be saved: which column of a file is which field."""

    kind: Annotated[str, described(FileKind)]
    name: Annotated[str, described_text(SEEN_NAME, 60)]
    columns: list[Annotated[dict[str, Any], WithJsonSchema(MAPPED_COLUMN)]] = Field(max_length=400)


class ReadAgain(Shape):
    """The other way in which a file is to be read."""

    mapping: list[dict[str, Any]] | None = Field(default=None, max_length=400)
    sheet: str | None = None
    encoding: str | None = None
    delimiter: str | None = Field(default=None, max_length=1)
    header: int | None = Field(default=None, ge=0, le=100)
    options: dict[str, Any] | None = None


# what the value of an operation looks like, by the form of the fact
VALUES = {
    "text": WORDS,
    "lines": WORDS_IN_LINES,
    "code": WORDS,
    "whole": "^[0-9]{1,7}$",
    "amount": r"^[0-9]{1,8}(?:\.[0-9]{2})?$",
    "flag": f"^(?:{'|'.join(sorted(YES | NO))})$",
}
# facts of which there can be many, by their form
KEYED_FACTS = {
    "text": (f"^{Keyed.ATTRIBUTE} [^\\u0000-\\u0020][^\\u0000-\\u001f]{{0,119}}$",),
    "amount": (f"^{Keyed.PRICE} {LIST_KEY[1:]}",),
}


def described_operations(schema: dict[str, Any]) -> None:
    """Tells in the API's description which operations suit which facts, and which need a value."""
    plain = schema["properties"]
    ways = []
    for form, deeds in OPERATIONS.items():
        named = [name for name in NAMES if NAMES[name].form == form and name not in NOT_IN_BULK]
        facts = [{"enum": named}, *({"pattern": one} for one in KEYED_FACTS.get(form, ()))]
        shifting = [deed for deed in deeds if deed in ("more", "percent")]
        saying = [deed for deed in deeds if deed in NEEDING_A_VALUE and deed not in shifting]
        for of_this_kind, value in (
            (shifting, SAYING),  # by what is no number the rehearsal refuses row by row
            (saying, VALUES[form]),
            ([deed for deed in deeds if deed not in NEEDING_A_VALUE], ""),
        ):
            said = {"minLength": 1, "pattern": value} if value else {}
            properties = {
                **plain,
                "fact": {"type": "string", "anyOf": facts},
                "deed": {"enum": of_this_kind},
                "value": {**plain["value"], **said},
            }
            if of_this_kind:
                needed = ["fact", "deed", *(["value"] if value else [])]
                ways.append({"properties": properties, "required": needed})
    closed = {"type": "object", "additionalProperties": False}
    for name in ("properties", "required", "additionalProperties"):
        schema.pop(name, None)
    schema["anyOf"] = [{**closed, **way} for way in ways]


class OperationShape(Shape):
    """One operation on one field: set, empty, replace, before, after, more or percent."""

    model_config = ConfigDict(extra="forbid", json_schema_extra=described_operations)

    fact: str = Field(max_length=200)
    deed: str = Field(max_length=20)
    value: str = Field(default="", max_length=20_000)
    by: str = Field(default="", max_length=20_000)


class Match(BaseModel):
    """Says which products are meant, by the names that the list of products takes; the call refuses
    other names.
    """

    model_config = ConfigDict(extra="allow", json_schema_extra={"additionalProperties": False})

    q: str = ""
    category: str = ""
    kind: str = ""
    family: str = ""
    on: str = ""
    not_on: str = ""
    in_stock: Flag | None = None


class ChangeMany(Shape):
    """Products by SKU, or all that match a filter, and the operations on them."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "anyOf": [
                {"required": ["skus"], "properties": {"skus": {"minItems": 1}}},
                {"required": ["match"], "properties": {"match": {"type": "object"}}},
            ]
        },
    )

    operations: list[OperationShape] = Field(min_length=1, max_length=12)
    skus: list[str] = Field(default_factory=list, max_length=200_000)
    match: Match | None = None


@router.get("/imports/kinds")
def get_kinds(by: By) -> dict[str, Any]:
    """Returns the kinds of files, each with its columns."""
    return {
        "items": [
            {
                "kind": kind.key,
                "title": kind.title,
                "words": kind.words,
                "columns": [
                    {
                        "name": column.name,
                        "heading": column.heading,
                        "form": column.form,
                        "required": column.required,
                    }
                    for column in columns_for(by.workplace, kind)
                ],
            }
            for kind in KINDS.values()
        ]
    }


@router.post("/imports", status_code=202)
def post_import(
    by: By,
    file: Annotated[UploadFile, File()],
    kind: Annotated[str, described(FileKind), Form()],
    mapping: Annotated[str, Form()] = "",
    options: Annotated[str, Form()] = "",
) -> dict[str, Any]:
    """Rehearses a file. `mapping` is the name of a saved mapping or a JSON list of columns;
    `options` is JSON: `{"create": true, "members": "add", "clear": false}`.
    """
    content = file.file.read(MOST_BYTES + 1)
    chosen: Any = mapping
    if mapping.strip().startswith("["):
        chosen = _json(mapping, "mapping")
    asked = _json(options, "options") if options.strip() else {}
    if not isinstance(asked, dict):
        raise refuse("form", "“options” must be a JSON object.", "Like {}.", "options")
    job = receive_file(
        by.workplace,
        by.actor,
        NewFile(kind, file.filename or "", content),
        mapping=chosen,
        options=asked,
    )
    return job_shape(by, job)


def _json(text: str, name: str) -> Any:
    try:
        return json.loads(text)
    except ValueError:
        raise refuse("form", f"“{name}” must be JSON.", "Correct it.", name) from None


@router.post("/imports/{job_id}/read-again", status_code=202)
def post_read_again(by: By, job_id: int, wish: ReadAgain) -> dict[str, Any]:
    """Changes how a file is read, and rehearses it again."""
    change_mapping(by.workplace, by.actor, job_id, wish.model_dump(exclude_none=True))
    return job_shape(by, job_id)


@router.get("/imports/templates/{kind}.{form}", **gives_file(*FILE_MEDIA))
def get_template(by: By, kind: OfKind, form: OfForm) -> StreamingResponse:
    """Returns an example file of a kind."""
    return stream_file(template(by.workplace, kind, form))


def products_exported(
    matching: Matching, product_kind: str = "", archived: YesOrNo = None
) -> ProductFilter:
    """Returns the filter that the query of an export describes."""
    return replace(matching, kind=product_kind, archived=bool(archived))


Exported = Annotated[ProductFilter, Depends(products_exported)]


@router.get("/exports/{kind}.{form}", **gives_file(*FILE_MEDIA))
def get_export(
    by: By, kind: OfExport, form: OfForm, wanted: Exported, columns: str = ""
) -> StreamingResponse:
    """Returns the products that match as a file that can be imported again. `columns` are names
    separated by commas.
    """
    chosen = [name.strip() for name in columns.split(",") if name.strip()]
    return stream_file(take_out(by.workplace, kind, form, wanted=wanted, chosen=chosen))


def stream_file(taken: TakenOut) -> StreamingResponse:
    """Returns a file as the answer to a call."""
    head = {"Content-Disposition": f'attachment; filename="{taken.name}"'}
    return StreamingResponse(taken.content, media_type=taken.media, headers=head)


@router.get("/mappings")
def get_mappings(
    by: By, kind: Annotated[str, OneOf("kind", tuple(FileKind))] = ""
) -> dict[str, Any]:
    """Returns the saved mappings."""
    with by.workplace.database.reading() as session:
        found = mappings(session, kind)
    return {
        "items": [{"kind": kept.kind, "name": kept.name, "columns": kept.columns} for kept in found]
    }


@router.post("/mappings", status_code=201)
def post_mapping(by: By, wish: MappingShape) -> dict[str, Any]:
    """Saves a mapping under a name. The same name again replaces it."""
    keep_mapping(by.workplace, by.actor, wish.kind, wish.name, wish.columns)
    return wish.model_dump()


@router.delete("/mappings/{name}")
def delete_mapping(by: By, name: str) -> dict[str, Any]:
    """Deletes a mapping."""
    drop_mapping(by.workplace, by.actor, name)
    return {"name": name}


@router.post("/products/change", status_code=202)
def post_change(by: By, wish: ChangeMany) -> dict[str, Any]:
    """Rehearses a change of many products. The bulk job in the answer can then be applied."""
    operations = [Operation(**operation.model_dump()) for operation in wish.operations]
    wanted = None
    if wish.match is not None:
        if wish.match.model_extra:
            raise refuse(
                "unknown",
                f"“match” has no {', '.join(sorted(wish.match.model_extra))}.",
                "See /api/docs.",
                "match",
            )
        match = wish.match.model_dump()
        wanted = ProductFilter(words=match.pop("q"), **match)
    job = change_many(by.workplace, by.actor, operations, skus=wish.skus, wanted=wanted)
    return job_shape(by, job)
