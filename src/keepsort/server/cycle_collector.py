"""Python's collector of cycles, kept from looking where there are none."""

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def paused() -> Iterator[None]:
    """Pause the collector: streams of objects and walks of trees make much for it to look at."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()
