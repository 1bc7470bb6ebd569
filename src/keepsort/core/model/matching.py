"""When two texts are the same to a directory (RFC 4518, string preparation).

Letter case is folded character by character, as servers do it, and not in full: ``ß`` is not
``ss``, and ``ς`` is not ``σ``. Characters are those of Unicode 3.2, which the standard names.
"""

import re
import unicodedata
from functools import lru_cache
from itertools import groupby
from typing import Literal

from keepsort.core.model.meanings import decimal, moment

_UNICODE = unicodedata.ucd_3_2_0
_SPACES = re.compile(" {2,}")

#: fold: letter case and runs of spaces do not count. exact: runs of spaces do not. bare: neither
#: letter case, spaces nor hyphens do. digits: spaces do not. literal: everything counts.
#: decimal: texts are numbers, and the same where these are. time: the same for time stamps.
Matching = Literal["fold", "exact", "bare", "digits", "literal", "decimal", "time"]


def prepared(matching: Matching, text: str) -> str:
    """Return the form of a text that is equal for texts that match."""
    if matching == "literal":
        return text
    if matching == "decimal":
        return decimal(text)
    if matching == "time":
        return moment(text)
    if matching in ("fold", "bare"):
        text = lowered(text)
    if not text.isascii():
        # letters that came to Unicode later have no other forms to a directory
        runs = groupby(text, _is_known)
        text = "".join(
            _UNICODE.normalize("NFKC", "".join(run)) if known else "".join(run)
            for known, run in runs
        )
    if matching == "bare":
        return text.replace(" ", "").replace("-", "")
    if matching == "digits":
        return text.replace(" ", "")
    return _SPACES.sub(" ", text).strip(" ")


def lowered(text: str) -> str:
    """Return a text in lower case, letter by letter (simple case mapping)."""
    return text.lower() if text.isascii() else "".join(map(_lower, text))


def _is_known(letter: str) -> bool:
    return _UNICODE.category(letter) != "Cn"


@lru_cache(maxsize=4096)
def _lower(letter: str) -> str:
    if _UNICODE.category(letter) not in ("Lu", "Lt"):
        return letter
    low = letter.lower()[0]
    return low if _is_known(low) else letter
