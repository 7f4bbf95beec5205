"""Papers in the seller's own layout: kept with all their versions, chosen by channel, and printed for one
shipment or for all of a pick list.
"""

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import datetime

from relvan.core.mail.texts import language_names, languages_of
from relvan.core.orders.intake import Address
from relvan.core.papers.layouts import (
    MOST_NAME,
    LaidOut,
    PaperKind,
    PaperSize,
    Values,
    check_layout,
    drawn,
    lay_out,
)
from relvan.core.papers.starts import STARTS
from relvan.core.people.roles import Right
from relvan.core.refusal import Refusal, not_found, refuse, refuse_if_any
from relvan.documents.layout import layout_pdf, with_drawings
from relvan.documents.paper import written_day
from relvan.services import audit
from relvan.services.orders.estimate_papers import estimate_paper
from relvan.services.orders.journal import style_of
from relvan.services.orders.own_papers import estimate_values, invoice_values
from relvan.services.orders.papers import paper_of
from relvan.services.setup.firm import logo_of
from relvan.services.shipping.manifests import manifest_values
from relvan.services.shipping.papers import firm_values, kilograms, packing_slip, pick_sheet
from relvan.services.workplace import Actor, Workplace
from relvan.store.bench import gtins_of_shipment, shipments_named
from relvan.store.channels import channels
from relvan.store.customers import estimate_by_id
from relvan.store.dispatch import parcels_of, shipment_by_id
from relvan.store.layouts import (
    asked_papers,
    layout_by_id,
    layout_for,
    layout_version,
    set_asked_paper,
)
from relvan.store.picking import shipments_in_order
from relvan.store.session import Session
from relvan.store.tables import Channel, InvoiceRow, Layout, LayoutVersion, Order, Parcel


@dataclass(frozen=True)
class LayoutWish:
    """What is to be of a layout; what is None stays as it is. `version` brings back an older one."""

    name: str | None = None
    size: str | None = None
    channel: str | None = None
    body: str | None = None
    used: bool | None = None
    version: int | None = None
    language: str | None = None


def add_layout(workplace: Workplace, actor: Actor, kind: str, wish: LayoutWish) -> int:
    """Adds a layout of a kind; without text it begins as the usual paper of its kind. Returns its id.

    Raises:
        Refused: if something makes no sense.
    """
    actor.must(Right.SETUP)
    if kind not in list(PaperKind):
        message = f"“Kind” must be one of {', '.join(PaperKind)}; it got {kind[:40]}."
        raise refuse("not-allowed", message, "Choose one.", "kind")
    size, body = STARTS[PaperKind(kind)]
    row = Layout(
        kind=kind,
        name=(wish.name or "").strip(),
        size=wish.size or size,
        channel=wish.channel or "",
        language=wish.language or "",
        body=wish.body or body,
        used=wish.used is not False,
        version=1,
    )
    with workplace.database.writing() as session:
        refuse_if_any(_check(row, {one.key for one in channels(session)}))
        session.add(row)
        session.flush()
        _keep_version(session, workplace, actor, row)
        subject = audit.Subject("layout", row.id)
        audit.record(session, actor, workplace.now(), subject, f"{kind} added")
        return row.id


def ask_for_layouts(workplace: Workplace, actor: Actor, kinds: Collection[str]) -> None:
    """Says of which kinds of papers the layout is asked for each time that one is printed; of the others the
    one in use is taken.

    Raises:
        Refused: if there is no such kind of paper.
    """
    actor.must(Right.SETUP)
    unknown = next((kind for kind in kinds if kind not in set(PaperKind)), None)
    if unknown is not None:
        message = f"There is no paper “{unknown[:40]}”."
        raise refuse("unknown", message, f"Choose of {', '.join(PaperKind)}.", "asked")
    with workplace.database.writing() as session:
        before = asked_papers(session)
        for kind in PaperKind:
            set_asked_paper(session, kind, asked=kind in kinds)
        if before != set(kinds):
            told = {"asked": (sorted(before), sorted(kinds))}
            subject = audit.Subject("firm", 1)
            audit.record(session, actor, workplace.now(), subject, "papers changed", told)


def change_layout(workplace: Workplace, actor: Actor, layout_id: int, wish: LayoutWish) -> None:
    """Changes a layout. Another text or size is a new version; all versions are kept.

    Raises:
        Refused: if something makes no sense; nothing is changed then.
    """
    actor.must(Right.SETUP)
    with workplace.database.writing() as session:
        row = layout_by_id(session, layout_id)
        before = (row.body, row.size)
        if wish.version is not None:
            old = layout_version(session, layout_id, wish.version)
            row.body, row.size = old.body, old.size
        for name in ("name", "size", "channel", "body", "used", "language"):
            value = getattr(wish, name)
            if value is not None:
                setattr(row, name, value.strip() if name == "name" else value)
        refuse_if_any(_check(row, {one.key for one in channels(session)}))
        if (row.body, row.size) != before:
            row.version += 1
            _keep_version(session, workplace, actor, row)
        session.flush()
        subject = audit.Subject("layout", row.id)
        audit.record(session, actor, workplace.now(), subject, f"saved as version {row.version}")


def _check(row: Layout, channel_keys: set[str]) -> list[Refusal]:
    found = check_layout(row.body)
    if not 1 <= len(row.name) <= MOST_NAME:
        message = f"“Name” must have 1 to {MOST_NAME} characters."
        found.append(Refusal("missing", message, "Type it.", "name"))
    if row.size not in list(PaperSize):
        message = f"“Size” must be one of {', '.join(PaperSize)}; it got {row.size[:40]}."
        found.append(Refusal("not-allowed", message, "Choose one.", "size"))
    if row.channel and row.channel not in channel_keys:
        message = f"There is no channel “{row.channel[:40]}”."
        found.append(Refusal("not-found", message, "Choose one, or none.", "channel"))
    if row.language and row.language not in language_names("en"):
        message = f"“{row.language[:10]}” is not the code of a language."
        found.append(Refusal("not-allowed", message, "Type it like de or nl.", "language"))
    return found


def _keep_version(session: Session, workplace: Workplace, actor: Actor, row: Layout) -> None:
    session.add(
        LayoutVersion(
            layout_id=row.id,
            version=row.version,
            size=row.size,
            body=row.body,
            person_id=actor.person_id,
            at=workplace.now(),
        )
    )


def slip_values(workplace: Workplace, shipment_id: int) -> Values:
    """Returns what a packing slip or a carton label can say of a shipment."""
    slip = packing_slip(workplace, shipment_id)
    with workplace.database.reading() as session:
        shipment = shipment_by_id(session, shipment_id)
        order = session.get_one(Order, shipment.order_id)
        parcels = parcels_of(session, shipment_id)
        gtins = gtins_of_shipment(session, shipment_id)
        promised, to = order.promised_on, Address.read(order.ship_to)
    first = parcels[0] if parcels else None
    return {
        "firm": firm_values(workplace),
        "customer": {**slip.to, "mail": to.mail, "phone": to.phone},
        "order": {
            "number": slip.order,
            "channel": slip.channel,
            "channel_number": slip.channel_number,
            "reference": order.reference,
            "placed": slip.placed,
            "promised": _day(workplace, promised),
        },
        "shipment": {
            "number": slip.shipment,
            "warehouse": slip.sender["name"],
            "sender": slip.sender["name"] or workplace.firm.name,
            **{part: slip.sender[part] for part in ("street", "postcode", "town", "country")},
        },
        "lines": [
            {
                "sku": line.sku,
                "title": line.title,
                "quantity": str(line.quantity),
                "gtin": gtins.get(line.sku, ""),
                "barcode": drawn("code128", gtins.get(line.sku) or line.sku),
            }
            for line in slip.lines
        ],
        "parcel": _parcel(first, 1, len(parcels)),
        "barcode": {
            "order": drawn("code128", slip.order),
            "order_qr": drawn("qr", slip.order),
            "channel_number": drawn("code128", slip.channel_number),
            "shipment": drawn("code128", slip.shipment),
            "tracking_number": drawn("code128", first.tracking_number or "") if first else "",
        },
    }


def _day(workplace: Workplace, day: str | None) -> str:
    if not day:
        return ""
    noon = datetime.fromisoformat(f"{day}T12:00:00")
    moment = noon.replace(tzinfo=workplace.local_now().tzinfo)
    return written_day(moment, workplace.firm.locale, workplace.firm.time_zone)


def _parcel(parcel: Parcel | None, number: int, of: int) -> dict[str, str]:
    if parcel is None:
        return {"number": "1", "of": "1"}
    return {
        "number": str(number),
        "of": str(of),
        "weight": kilograms(parcel.weight_g),
        "tracking_number": parcel.tracking_number or "",
        "carton": parcel.carton,
    }


def list_values(workplace: Workplace, pick_list_id: int) -> Values:
    """Returns what a printed pick list can say."""
    sheet = pick_sheet(workplace, pick_list_id)
    row = sheet.pick_list
    return {
        "firm": firm_values(workplace),
        "list": {
            "number": row.number,
            "name": row.name,
            "warehouse": row.warehouse,
            "created": sheet.created,
            "who": row.who,
        },
        "picks": [
            {
                "bin": pick.bin or "ask",
                "sku": pick.sku,
                "title": pick.title,
                "quantity": str(pick.quantity),
                "tote": str(pick.tote) if pick.tote else "",
                "shipment": pick.shipment,
                "order": pick.order,
                "barcode": drawn("code128", pick.sku),
            }
            for pick in sheet.picks
        ],
        "barcode": {"list": drawn("code128", row.number), "list_qr": drawn("qr", row.number)},
    }


def slips_pdf(workplace: Workplace, shipment_ids: Sequence[int], layout_id: int = 0) -> bytes:
    """Returns the packing slips of shipments as one PDF, each in the layout of its channel and of its
    customer's language, or all in the one that is named; or in the usual one where no layout is in use.

    Raises:
        Refused: if there is nothing to print, or the layout is for another kind of paper.
    """
    if not shipment_ids:
        raise refuse("nothing", "There is nothing to print.", "Choose shipments.", "pick")
    kind = PaperKind.PACKING_SLIP
    pages = [
        _page(
            _layout_of(workplace, kind, shipment_id, layout_id),
            kind,
            slip_values(workplace, shipment_id),
        )
        for shipment_id in shipment_ids
    ]
    return layout_pdf(pages, logo=logo_of(workplace))


def _page(row: Layout | None, kind: PaperKind, values: Values) -> tuple[str, PaperSize]:
    """Returns a page in a layout, or as the usual paper of its kind, with its size."""
    size, body = STARTS[kind]
    if row is None:
        return lay_out(body, values).html, size
    return lay_out(row.body, values).html, PaperSize(row.size)


def slips_of_list(workplace: Workplace, pick_list_id: int, layout: int = 0) -> bytes:
    """Returns the packing slips of a pick list as one PDF, in the order in which it is picked."""
    with workplace.database.reading() as session:
        ids = shipments_in_order(session, pick_list_id)
    return slips_pdf(workplace, ids, layout)


def carton_labels_pdf(workplace: Workplace, shipment_id: int, layout: int = 0) -> bytes:
    """Returns a label for every carton of a shipment as one PDF."""
    row = _layout_of(workplace, PaperKind.CARTON_LABEL, shipment_id, layout)
    values = slip_values(workplace, shipment_id)
    with workplace.database.reading() as session:
        parcels: list[Parcel | None] = [*parcels_of(session, shipment_id)]
    of = max(1, len(parcels))
    pages = [
        _page(row, PaperKind.CARTON_LABEL, {**values, "parcel": _parcel(parcel, at, of)})
        for at, parcel in enumerate(parcels or [None], 1)
    ]
    return layout_pdf(pages, logo=logo_of(workplace))


def list_pdf(workplace: Workplace, pick_list_id: int, layout: int = 0) -> bytes:
    """Returns a pick list to print, in the layout that is named, else in the one in use or the usual one."""
    kind = PaperKind.PICK_LIST
    with workplace.database.reading() as session:
        row = layout_for(session, kind, "", chosen=layout)
    page = _page(row, kind, list_values(workplace, pick_list_id))
    return layout_pdf([page], logo=logo_of(workplace))


def _layout_of(
    workplace: Workplace, kind: PaperKind, shipment_id: int, chosen: int = 0
) -> Layout | None:
    with workplace.database.reading() as session:
        order = session.get_one(Order, shipment_by_id(session, shipment_id).order_id)
        channel = session.get(Channel, order.channel_id) if order.channel_id else None
        languages = languages_of(order.country, workplace.firm.locale)
        return layout_for(session, kind, channel.key if channel else "", languages, chosen=chosen)


def preview_layout(workplace: Workplace, kind: str, body: str, example: int) -> LaidOut:
    """Returns a layout filled with a shipment, or a pick list, as safe HTML with its codes drawn.

    Raises:
        Refused: if the layout cannot be read.
    """
    refuse_if_any(check_layout(body))
    found = lay_out(body, _example(workplace, kind, example))
    return LaidOut(with_drawings(found.html, logo_of(workplace)), found.missing)


def _example(workplace: Workplace, kind: str, example: int) -> Values:
    """Returns the values of a real paper, by the id of its shipment, pick list, invoice, estimate or
    manifest."""
    if kind == PaperKind.PICK_LIST:
        return list_values(workplace, example)
    if kind == PaperKind.MANIFEST:
        return manifest_values(workplace, example)
    if kind == PaperKind.INVOICE:
        with workplace.database.reading() as session:
            row = session.get(InvoiceRow, example)
            if row is None:
                raise not_found("invoice", example)
            paper = paper_of(session, row)
        return invoice_values(paper, style_of(workplace))
    if kind == PaperKind.ESTIMATE:
        with workplace.database.reading() as session:
            number = estimate_by_id(session, example).number
        return estimate_values(estimate_paper(workplace, number), style_of(workplace))
    return slip_values(workplace, example)


def shipment_called(workplace: Workplace, code: str) -> int:
    """Returns the id of the shipment that a number names: its own, its order's or the channel's."""
    with workplace.database.reading() as session:
        found = shipments_named(session, code.strip())
    if not found:
        raise not_found("shipment", code)
    return found[0].id
