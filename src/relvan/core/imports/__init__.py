"""The rules for importing files: which column is which fact, what a cell says, and which rows
belong together. See docs/rules.md."""
