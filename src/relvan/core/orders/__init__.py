"""What is true of an order, and where it goes next."""
