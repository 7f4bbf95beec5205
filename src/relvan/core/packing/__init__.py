"""The rules for packing picked goods into parcels."""
