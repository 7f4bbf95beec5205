"""The manifest of a day as a page to print."""

from typing import Any

from relvan.documents.paper import paper


def manifest_pdf(manifest: Any) -> bytes:
    """Returns a manifest with its parcels, and those that were not handed over, as PDF."""
    return paper("manifest.html", manifest=manifest)
