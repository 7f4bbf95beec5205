"""The commercial invoice that goes with a shipment that crosses a border of customs."""

from dataclasses import dataclass

from relvan.core.orders.intake import Address
from relvan.core.refusal import refuse, refuse_if_any
from relvan.core.shipping.customs import CustomsLine, check_customs, needs_customs
from relvan.documents.commercial_invoice import commercial_invoice_pdf
from relvan.documents.paper import written_day
from relvan.services.setup.firm import logo_of
from relvan.services.shipping.asking import ask_desk, build_ask, customs_lines
from relvan.services.workplace import Workplace
from relvan.store.carriage import declared_goods
from relvan.store.dispatch import parcels_of, shipment_by_id
from relvan.store.tables import Order, Warehouse


@dataclass(frozen=True)
class CommercialInvoice:
    """What a commercial invoice says. `delivery` is what the customer paid for it, in minor units;
    `parcels` are the tracking numbers."""

    number: str
    order: str
    day: str
    sender: Address
    vat_number: str
    eori: str
    to: Address
    lines: tuple[CustomsLine, ...]
    delivery: int
    currency: str
    weight_g: int
    parcels: tuple[str, ...]
    logo: str

    @property
    def goods(self) -> int:
        """The value of the goods."""
        return sum(line.value for line in self.lines)

    @property
    def total(self) -> int:
        """The value of the goods and the delivery."""
        return self.goods + self.delivery


def is_abroad(workplace: Workplace, shipment_id: int) -> bool:
    """Says whether a shipment is declared to customs."""
    with workplace.database.reading() as session:
        shipment = shipment_by_id(session, shipment_id)
        to = Address.read(session.get_one(Order, shipment.order_id).ship_to)
        place = Address.read(session.get_one(Warehouse, shipment.warehouse_id).address)
    return needs_customs(place.country or workplace.firm.address.country, to.country)


def commercial_invoice(workplace: Workplace, shipment_id: int) -> bytes:
    """Returns the commercial invoice of a shipment as PDF.

    Raises:
        Refused: if nothing is packed, no customs are passed, or goods lack what customs ask for.
    """
    if not is_abroad(workplace, shipment_id):
        message = "This shipment passes no customs."
        raise refuse("not-needed", message, "It needs no commercial invoice.")
    firm = workplace.firm
    with workplace.database.reading() as session:
        shipment = shipment_by_id(session, shipment_id)
        order = session.get_one(Order, shipment.order_id)
        parcels = parcels_of(session, shipment_id)
        if not parcels:
            message = "Pack at least one parcel first."
            raise refuse("not-packed", message, "It lists what lies in the parcels.")
        goods = declared_goods(session, [parcel.id for parcel in parcels])
        lines = [
            line for inside in goods.values() for line in customs_lines(inside, order.currency)
        ]
        refuse_if_any(check_customs(lines))
        ask = build_ask(session, ask_desk(session, workplace), shipment, parcels, goods)
        first = next(iter(ask.parcels.values()))
        invoice = CommercialInvoice(
            shipment.number,
            order.number,
            written_day(workplace.now(), firm.locale, firm.time_zone),
            first.sender,
            firm.vat_number,
            firm.eori,
            first.to,
            tuple(lines),
            order.delivery_price,
            order.currency,
            sum(parcel.weight_g for parcel in parcels),
            tuple(parcel.tracking_number for parcel in parcels if parcel.tracking_number),
            logo_of(workplace),
        )
    return commercial_invoice_pdf(invoice, firm.locale)
