"""The server's own settings, a file that it gives out and takes as a whole over HTTP (RFC 9110).

It reads them anew at once, and does not answer for a moment meanwhile.
"""

import re
import time
from collections.abc import Callable, Iterator

from keepsort.connectors.errors import ConnectorError, NotAllowed, SignInRefused, Unreachable
from keepsort.connectors.printserver.client import Client
from keepsort.core.model import ConfigObject
from keepsort.core.plan import Finding, Step

#: What the object is called: no queue can be called so, since it holds a space.
NAME = "settings file"
KIND = "settings"
_PLACE = "/admin/conf/cupsd.conf"
_MOST_BYTES = 4 << 20
_SECONDS = 30.0
_PAUSE = 0.2
#: Lines that say where the server listens, and who may reach it.
_WAY_IN = re.compile(
    r"^\s*(?:</?Location|</?Policy|</?Limit|Listen|Port|Order|Allow|Deny|Require|Auth|Satisfy|"
    r"DefaultAuthType|DefaultEncryption|SSL|ServerAlias|HostNameLookups)",
    re.IGNORECASE,
)


def settings_object(client: Client) -> ConfigObject | None:
    """Return the server's settings; None where it gives none out."""
    try:
        answer = client.file("GET", _PLACE, _MOST_BYTES)
        if answer is None:
            return None
        return ConfigObject(name=NAME, kind=KIND, attributes={"text": answer.decode()})
    except (NotAllowed, SignInRefused) as error:
        return ConfigObject(name=NAME, kind=KIND, unreadable=str(error))
    except UnicodeDecodeError:
        return ConfigObject(name=NAME, kind=KIND, unreadable="it is no text in UTF-8")


def write_settings(client: Client, text: str, pause: Callable[[float], None] = time.sleep) -> None:
    """Give the server its settings, and wait until it answers by them."""
    client.file("PUT", _PLACE, _MOST_BYTES, text.encode())
    for _ in range(int(_SECONDS / _PAUSE)):
        pause(_PAUSE)  # it answers by the old ones until it stops
        try:
            client.call_default()
        except Unreachable:
            continue
        except ConnectorError:
            return  # it answers, and says something else than before
        return
    raise Unreachable(
        f"{client.where} does not answer any more since it reads its new settings.",
        "Look at its error log on the machine itself; the file it had lies beside the new one.",
    )


def shown(step: Step) -> str:
    """Write the call that carries a step out."""
    size = len(str((step.after or {}).get("text", "")).encode())
    return f"PUT {_PLACE}\n  (the file follows, {size:,} bytes)"


def findings(step: Step) -> Iterator[Finding]:
    """Yield what is to be known before the settings are written."""
    if step.after is None:
        text = "A print server always has its settings. Leave them, or put others in their place."
        yield Finding("stop", "not-allowed", text, step.path)
        return
    before, after = (
        [line.strip() for line in str((one or {}).get("text", "")).splitlines()]
        for one in (step.before, step.after)
    )
    if [one for one in before if _WAY_IN.match(one)] != [o for o in after if _WAY_IN.match(o)]:
        text = (
            "It says otherwise where the server listens or who may reach it, so it may not answer "
            "here afterwards, and no undo could reach it then."
        )
        yield Finding("confirm", "way-in-changes", text, step.path, "text")
