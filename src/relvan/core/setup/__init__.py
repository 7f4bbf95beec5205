"""Rules of what is set up once: the firm, its numbers, its warehouses and bins, and first steps."""
