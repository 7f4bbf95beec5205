"""The rules of the catalogue: what a product is and which details it may have."""
