"""Opens and edits texts in a process of its own, which the system ends when it takes too much.

Run as a module. Requests and answers are frames: four bytes of length (big end first), then
MessagePack. What a text can make this process do ends with it: it may use so much memory and
processor time, and write no file.
"""

import resource
import signal
import sys
from typing import BinaryIO

import msgspec

from keepsort.core.model import Path, Value
from keepsort.core.plan import ABSENT, Edit, Unfit
from keepsort.formats.editing import edited
from keepsort.formats.known import FORMATS
from keepsort.formats.places import NotParsed, Place

MEMORY_BYTES = 512 << 20
READING_SECONDS, EDITING_SECONDS = 2.0, 10.0
_PAGE = resource.getpagesize()


class Change(msgspec.Struct, frozen=True, array_like=True):
    """One edit: a part, and its value, or that it is to be absent."""

    path: Path
    value: Value
    absent: bool


class Request(msgspec.Struct, frozen=True, array_like=True):
    """A text to be read, or, where there are changes, edited with parts of another."""

    kind: str
    text: str
    backup: str = ""
    changes: tuple[Change, ...] | None = None


class Answer(msgspec.Struct, frozen=True, array_like=True):
    """What came of a request: places, or a text; else the line and the reason, or what is unfit."""

    places: list[Place] | None = None
    text: str | None = None
    line: int = 0
    why: str = ""
    unfit: str = ""


encode = msgspec.msgpack.Encoder().encode
decode_request = msgspec.msgpack.Decoder(Request).decode
decode_answer = msgspec.msgpack.Decoder(Answer).decode


def answer(request: Request) -> Answer:
    """Do what is asked for."""
    places = FORMATS[request.kind].places
    try:
        if request.changes is None:
            return Answer(places=places(request.text))
        edits = [Edit(c.path, ABSENT if c.absent else c.value) for c in request.changes]
        return Answer(text=edited(places, request.text, request.backup, edits))
    except NotParsed as error:
        return Answer(line=error.line, why=error.why)
    except Unfit as error:
        return Answer(unfit=str(error))
    except (MemoryError, RecursionError):
        return Answer(line=1, why=TOO_MUCH)


TOO_MUCH = (
    f"opening it takes more than {MEMORY_BYTES >> 20} MB of memory or {READING_SECONDS:.0f} s of "
    "processor time"
)


def read_frame(source: BinaryIO) -> bytes | None:
    """Read one frame; None at the end."""
    head = source.read(4)
    if len(head) < 4:
        return None
    return source.read(int.from_bytes(head, "big"))


def _limit() -> None:
    with open("/proc/self/statm", encoding="ascii") as statm:
        has = int(statm.read().split()[0]) * _PAGE
    resource.setrlimit(resource.RLIMIT_AS, (has + MEMORY_BYTES, has + MEMORY_BYTES))
    resource.setrlimit(resource.RLIMIT_FSIZE, (0, 0))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # who presses Ctrl-C means the process that asks
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def main() -> None:
    """Answer requests until there are no more."""
    _limit()
    source, target = sys.stdin.buffer, sys.stdout.buffer
    while (frame := read_frame(source)) is not None:
        request = decode_request(frame)
        seconds = READING_SECONDS if request.changes is None else EDITING_SECONDS
        # the kernel ends the process then, whatever it is in the middle of
        signal.setitimer(signal.ITIMER_PROF, seconds)
        found = encode(answer(request))
        signal.setitimer(signal.ITIMER_PROF, 0)
        target.write(len(found).to_bytes(4, "big") + found)
        target.flush()


if __name__ == "__main__":
    main()
