"""The rules for picking goods in a warehouse."""
