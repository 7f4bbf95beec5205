"""What is set up once: the firm, its warehouses and bins, and the first steps."""
