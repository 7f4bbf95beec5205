"""Making files that leave us: PDFs to print."""
