"""Writing files for people: whole or not at all."""

import os
import sys
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import IO

from keepsort.server.problems import Problem


@contextmanager
def written_to(output: str) -> Iterator[IO[bytes]]:
    """Give a file to write to, which takes its place when all of it is written; - is stdout.

    Raises `Problem` where it cannot be written, or stands there already.
    """
    if output == "-":
        yield sys.stdout.buffer
        return
    target = Path(output)
    if target.exists():
        raise Problem(f"{output} stands there already.", "Choose another name, or move it away.")
    try:
        handle, name = tempfile.mkstemp(prefix=f".{target.name}.", dir=target.parent)
    except OSError as error:
        raise Problem(f"{output} cannot be written: {error.strerror}.", "Choose another.") from None
    try:
        with os.fdopen(handle, "wb") as out:
            yield out
        os.link(name, target)
    except FileExistsError:
        raise Problem(f"{output} stands there already.", "Choose another name.") from None
    finally:
        os.unlink(name)


def progress(what: str = "objects") -> Callable[[int], None] | None:
    """Return what tells a person at a terminal how far something long is; None for a script."""
    if not sys.stderr.isatty():
        return None
    return lambda count: print(f"\r{count:,} {what}…", end="\r", file=sys.stderr, flush=True)
