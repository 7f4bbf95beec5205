"""Runs the `relvan` command as `python -m relvan`."""

from relvan.cli import main

if __name__ == "__main__":
    main()
