"""Numbers as they are written in texts: a number where that loses nothing, else the text itself."""

import re
from decimal import Decimal, InvalidOperation
from math import isfinite

_PLAIN = re.compile(r"0|-?[1-9][0-9]*")


def exact_integer(text: str) -> int | str:
    """Return a whole number of at most 64 bits that is written plainly; else the text.

    ``0644``, ``0x1F`` and ``1_000`` are no plain writing: readers differ in what they mean.
    """
    if len(text) > 20 or not _PLAIN.fullmatch(text):
        return text
    number = int(text)
    return number if -(1 << 63) <= number < 1 << 64 else text


def exact_decimal(text: str) -> float | str:
    """Return a number with a fraction or an exponent if a double holds it exactly as written.

    ``0.1`` is taken as exact, since that is how the double is written shortest.
    """
    try:
        number = float(text)
        exact = isfinite(number) and Decimal(text) == Decimal(repr(number))
    except (ValueError, InvalidOperation):
        return text
    return number if exact and "_" not in text else text
