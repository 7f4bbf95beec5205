"""The rules of bulk jobs: their states, and what becomes of each row."""
