"""Makes the packing slip that goes into a parcel."""

from typing import Any

from relvan.documents.paper import paper


def packing_slip_pdf(slip: Any) -> bytes:
    """Returns the slip as PDF, A4 of one page or more: who sends what to whom, with the shipment's
    number and that of the channel as barcodes.
    """
    return paper("packing_slip.html", slip=slip)
