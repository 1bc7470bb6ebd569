"""What is seen to of every ZIP (APPNOTE 6.3) before anything reads its listing."""

from typing import IO

from keepsort.files.opened import BadFile

_END, _LEAST, _COMMENT = b"PK\x05\x06", 22, 1 << 16
_MOST_LISTING = 8 << 20


def check_listing(file: IO[bytes]) -> None:
    """See that a ZIP has its listing, at the end, and that it is not too long to be held.

    Raises `BadFile`; the file is left at its beginning.
    """
    size = file.seek(0, 2)
    file.seek(max(0, size - _LEAST - _COMMENT))
    end = file.read()
    at = end.rfind(_END)
    file.seek(0)
    if at < 0 or len(end) - at < _LEAST:
        raise BadFile(
            f"It is no whole ZIP: its listing, which stands at the end, is missing after {size} "
            "bytes, as in a file that was cut short."
        )
    if int.from_bytes(end[at + 12 : at + 16], "little") > _MOST_LISTING:
        raise BadFile("Its listing is too long: it cannot be one of ours.")


def holds(file: IO[bytes], name: str) -> bool:
    """Tell whether the listing of a ZIP names a member; the file is left at its beginning."""
    check_listing(file)
    size = file.seek(0, 2)
    file.seek(max(0, size - _MOST_LISTING - _COMMENT))
    found = name.encode() in file.read()
    file.seek(0)
    return found
