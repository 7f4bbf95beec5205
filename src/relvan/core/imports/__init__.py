"""Bringing files in: which column is which fact, what a cell says, which rows are one thing. docs/rules.md says how."""
