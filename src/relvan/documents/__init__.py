"""Makes files that leave us, such as PDFs to print and tables."""
