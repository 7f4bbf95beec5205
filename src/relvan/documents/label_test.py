"""Makes the page by which a label printer is tested."""

from relvan.documents.paper import paper


def label_test_pdf(firm: str, moment: str) -> bytes:
    """Returns an A6 page with a frame and a barcode, as PDF."""
    return paper("label_test.html", firm=firm, moment=moment)
