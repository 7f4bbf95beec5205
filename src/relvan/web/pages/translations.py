"""Serves the pages of translation tables: the values that are not translated yet, with proposals,
and every entry.
"""

from fastapi import APIRouter
from fastapi.responses import HTMLResponse, Response

from relvan.core.listings.translating import Translation, TranslationKind
from relvan.core.refusal import Refused
from relvan.services.listings.previews import attribute_names
from relvan.services.listings.translations import set_translations, untranslated
from relvan.store.channels import channel_by_key, channel_names
from relvan.store.layers import translation_lines
from relvan.web.desk import At, Desk, Form, PostedForm, first_by_field

router = APIRouter(prefix="/listings/translations")


@router.get("", name="translation_index")
def translation_index(desk: At, channel: str = "") -> HTMLResponse:
    """Shows the table of one channel."""
    return _translations_page(desk, channel)


def _translations_page(
    desk: Desk, channel: str, *, refused: Refused | None = None, status: int = 200
) -> HTMLResponse:
    with desk.workplace.database.reading() as session:
        named = channel_names(session)
        key = channel if channel in dict(named) else named[0][0] if named else ""
        lines = translation_lines(session, key) if key else []
        lacking = untranslated(session, desk.workplace, key) if key else []
        book = desk.workplace.rulebook(channel_by_key(session, key)) if key else None
        names = attribute_names(session)
    return desk.page(
        "translations/index.html",
        "listings",
        status=status,
        named=named,
        channel=key,
        lines=lines,
        lacking=lacking,
        book=book,
        attribute_names=names,
        errors=first_by_field(refused.refusals) if refused else {},
        refusals=refused.refusals if refused else (),
    )


@router.post("/{channel}", name="translation_set")
def translation_set(desk: At, form: Form, channel: str) -> Response:
    """Saves the entries of the form in the table; an empty one is skipped."""
    try:
        entries = _entries(form)
        set_translations(desk.workplace, desk.actor, channel, entries)
    except Refused as refused:
        return _translations_page(desk, channel, refused=refused, status=422)
    words = f"{len(entries)} {'translation' if len(entries) == 1 else 'translations'} kept."
    return desk.done(f"/listings/translations?channel={channel}", words)


def _entries(form: PostedForm) -> list[Translation]:
    rows = zip(
        form.all("kind"),
        form.all("field"),
        form.all("ours"),
        form.all("theirs"),
        form.all("category"),
        strict=False,
    )
    kinds = {kind.value: kind for kind in TranslationKind}
    return [
        Translation(
            kinds[kind], "" if kind == "trait" else field, ours.strip(), theirs.strip(), category
        )
        for kind, field, ours, theirs, category in rows
        if kind in kinds and ours.strip() and (theirs.strip() or form.get("drop"))
    ]
