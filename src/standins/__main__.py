"""Runs the outside world as `python -m standins`."""

import argparse
import logging
from pathlib import Path

import uvicorn

from standins.app import make_world_app


def is_news(record: logging.LogRecord) -> bool:
    """Says whether a message of the server is worth a line in the log. It complains of each
    connection that bad weather cuts on purpose, and those are not.
    """
    return "without completing response" not in record.getMessage()


def main() -> None:
    """Reads the command line and serves until interrupted."""
    parser = argparse.ArgumentParser(prog="standins", description="Run the outside world.")
    parser.add_argument("--host", default="127.0.0.1")
    parser.add_argument("--port", type=int, default=8101)
    parser.add_argument(
        "--data", default="var/world/world.db", help="the SQLite file that remembers everything"
    )
    parser.add_argument(
        "--rulebooks",
        type=Path,
        help="a folder with rulebooks to keep instead of the stand-ins' own",
    )
    parser.add_argument(
        "--mail-port",
        type=int,
        help="where mail arrives, by SMTP; the next port when it is left out, or else a free one",
    )
    args = parser.parse_args()
    mail_port = args.port + 1 if args.mail_port is None else args.mail_port
    app = make_world_app(args.data, f"http://{args.host}:{args.port}", args.rulebooks, mail_port)
    logging.getLogger("uvicorn.error").addFilter(is_news)
    uvicorn.run(
        app, host=args.host, port=args.port, log_level="warning", timeout_graceful_shutdown=2
    )


if __name__ == "__main__":
    main()
