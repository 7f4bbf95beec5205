"""The rules of roles and rights."""
