"""A test page: whether a queue really prints, asked for by somebody, never by itself."""

import time
from collections.abc import Callable

from keepsort.connectors.errors import OddAnswer
from keepsort.connectors.printserver import ipp
from keepsort.connectors.printserver.client import Client
from keepsort.connectors.printserver.ipp import Given

_PRINT_JOB, _GET_JOB = 0x0002, 0x0009
_SECONDS = 15.0
_PAUSE = 0.25
#: States of a job that it does not leave any more (RFC 8011, section 5.3.7).
_ENDS = {7: "was cancelled", 8: "was given up by the server", 9: "was printed"}
_WAITS = {3: "waits its turn", 4: "is held", 5: "is being printed", 6: "stands still"}


def print_page(
    client: Client, uri: str, name: str, pause: Callable[[float], None] = time.sleep
) -> str:
    """Print one page of text, and tell what became of it within some seconds (RFC 8011, 4.2.1)."""
    about = [
        Given("printer-uri", ipp.URI, (uri,)),
        Given("requesting-user-name", ipp.NAME, ("keepsort",)),
        Given("job-name", ipp.NAME, ("Keep Sort test page",)),
        Given("document-format", ipp.MIME, ("text/plain",)),
    ]
    answer = client.call(_PRINT_JOB, about, data=_page(name))
    job = next((group["job-id"][0] for group in answer.groups if group.get("job-id")), None)
    if not isinstance(job, int):
        raise OddAnswer(client.where, "a print server", "it took the page and names no job")
    state, said = 0, ""
    for _ in range(int(_SECONDS / _PAUSE)):
        state, said = _state(client, uri, job)
        if state in _ENDS:
            break
        pause(_PAUSE)
    told = _ENDS.get(state) or _WAITS.get(state, "is in a state that is not known")
    reason = f" ({said})" if said and state != 9 else ""
    if state in _ENDS:
        return f"Job {job}, the test page, {told}{reason}."
    return f"Job {job}, the test page, was taken and after {_SECONDS:.0f} seconds {told}{reason}."


def _state(client: Client, uri: str, job: int) -> tuple[int, str]:
    about = [
        Given("printer-uri", ipp.URI, (uri,)),
        Given("job-id", ipp.INTEGER, (job,)),
        Given("requested-attributes", ipp.KEYWORD, _WANTED),
    ]
    answer = client.call(_GET_JOB, about)
    group = next(iter(answer.groups), {})
    state = next(iter(group.get("job-state", [])), 0)
    messages = group.get("job-printer-state-message") or group.get("job-state-reasons") or []
    said = " ".join(str(one) for one in messages if one not in ("none", ""))
    return (state if isinstance(state, int) else 0), " ".join(said.split())[:200]


_WANTED = ("job-state", "job-state-reasons", "job-printer-state-message")


def _page(name: str) -> bytes:
    return (
        f"Test page for {name}\r\n\r\nSent by Keep Sort to see that this queue prints.\r\n\f"
    ).encode()
