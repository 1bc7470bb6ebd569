"""Runs an exhibit controller: ``python -m standins.exhibits --port 8900 --state FILE``.

The token to sign in with is read from the variable EXHIBITS_TOKEN.
"""

import argparse
import os
from pathlib import Path

from standins.exhibits.items import Store
from standins.exhibits.schema import VERSIONS
from standins.exhibits.server import Behaviour, Controller


def main() -> None:
    """Read the options and serve."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--port", type=int, required=True)
    parser.add_argument("--state", type=Path, required=True, help="the file that items are kept in")
    parser.add_argument("--software", choices=tuple(VERSIONS), default="4.2")
    parser.add_argument("--capacity", type=int, default=400_000, help="bytes for items")
    parser.add_argument("--budget", type=int, default=1000, help="calls an hour")
    parser.add_argument("--faults", action="store_true", help="take orders to behave badly")
    given = parser.parse_args()
    store = Store(given.state, given.software, given.capacity)
    token = os.environ["EXHIBITS_TOKEN"]
    Controller(given.port, store, token, Behaviour(given.budget), given.faults).serve_forever()


if __name__ == "__main__":
    main()
