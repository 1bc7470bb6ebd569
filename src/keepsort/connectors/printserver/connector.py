"""The connector for print servers: queues and classes as objects, and back (IPP, RFC 8011)."""

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

import msgspec

from keepsort.connectors.base import (
    Description,
    Endpoint,
    Problem,
    Promises,
    Ready,
    SecretKeeper,
    Seen,
)
from keepsort.connectors.errors import ConnectorError, NoSuchBranch
from keepsort.connectors.options import one_of
from keepsort.connectors.printserver import client as calls
from keepsort.connectors.printserver import ipp, settings_file
from keepsort.connectors.printserver.client import Client
from keepsort.connectors.printserver.ipp import Given
from keepsort.connectors.printserver.objects import (
    CLASS,
    QUEUE,
    SCHEMA,
    SERVER,
    driver_to_send,
    is_class,
    name_of,
    printer_object,
    written,
)
from keepsort.connectors.printserver.own_drivers import CHOICES, OwnDrivers
from keepsort.connectors.printserver.trial import print_page
from keepsort.core.model import Attributes, ConfigObject, Path
from keepsort.core.model.notation import read_slash, write_slash
from keepsort.core.plan import Effect, Finding, Step, counted
from keepsort.core.snapshot import Snapshot

_JOBS_NAMED = 5
#: So many are asked for by themselves; more, with all others at once.
_ONE_BY_ONE = 8
_LONGEST_NAME = 127
_CALLS = {
    (QUEUE, "put"): ("CUPS-Add-Modify-Printer", calls.PUT_PRINTER),
    (CLASS, "put"): ("CUPS-Add-Modify-Class", calls.PUT_CLASS),
    (QUEUE, "delete"): ("CUPS-Delete-Printer", calls.DELETE_PRINTER),
    (CLASS, "delete"): ("CUPS-Delete-Class", calls.DELETE_CLASS),
}


#: How queues that are put back are shared: as the backup has it, all of them, or none.
SHARING = ("as before", "all", "none")
#: Whether the server's settings are kept, too.
WITH_SETTINGS = ("kept", "left out")


def open_printserver(endpoint: Endpoint, secrets: SecretKeeper) -> "PrintServer":
    """Make ready to call a print server; the first call connects."""
    return PrintServer(endpoint)


class PrintServer:
    """One print server."""

    def __init__(self, endpoint: Endpoint) -> None:
        self._client = Client(endpoint)
        self._sharing = one_of(endpoint, "sharing", SHARING)
        self._drivers = OwnDrivers(self._client)
        self._own_drivers = one_of(endpoint, "drivers", CHOICES) != CHOICES[0]
        self._with_settings = one_of(endpoint, "settings", WITH_SETTINGS) == WITH_SETTINGS[0]

    def close(self) -> None:
        """Let go of the connection."""
        self._client.close()

    def describe(self) -> Description:
        """Return what the server is, going by what it says of its first queue."""
        told = self._client.call(
            calls.GET_PRINTERS,
            [
                Given("requested-attributes", ipp.KEYWORD, ("cups-version",)),
                Given("limit", ipp.INTEGER, (1,)),
            ],
            missing=True,
        )
        version = next((str(v) for g in told.groups for v in g.get("cups-version", [])), "")
        return Description(
            software=f"CUPS {version}".strip(),
            schema=SCHEMA,
            promises=Promises(compare_and_set="check"),
            depth_first=True,
        )

    # Reading

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the server with its queues and classes, or one of these."""
        if branch:
            [seen] = self.look([branch])
            if seen.found is None:
                raise NoSuchBranch(f"The server has no {write_slash(branch)}.")
            yield branch, seen.found
            return
        yield (), self._server()
        settings = self._settings()
        if settings is not None:
            yield (settings_file.NAME,), settings
        for told in sorted(self._printers().values(), key=name_of):
            yield (name_of(told),), self._object(told)

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen queues and classes as they are now."""
        own = ((), (settings_file.NAME,))
        names = {path[0] for path in paths if len(path) == 1 and path not in own}
        few = len(names) <= _ONE_BY_ONE
        printers = {n: self._printer(n) for n in names} if few else dict(self._printers())
        found = []
        for path in paths:
            told = printers.get(path[0]) if len(path) == 1 else None
            if not path:
                found.append(Seen(self._server()))
            elif path == own[1]:
                found.append(Seen(self._settings()))
            else:
                found.append(Seen(self._object(told) if told is not None else None))
        return found

    def _settings(self) -> ConfigObject | None:
        return settings_file.settings_object(self._client) if self._with_settings else None

    def _printers(self) -> dict[str, dict[str, Any]]:
        asked = [Given("requested-attributes", ipp.KEYWORD, ("all",))]
        answer = self._client.call(calls.GET_PRINTERS, asked, missing=True)
        # one that comes and goes by itself, as printers in the network do, is nobody's setting
        kept = [one for one in answer.groups if not _truth(one, "printer-is-temporary")]
        return {name_of(one): one for one in kept if name_of(one)}

    def _printer(self, name: str) -> dict[str, Any] | None:
        """Return what the server tells of one queue or class; None where there is none."""
        for as_class in (False, True):
            about = [
                Given("printer-uri", ipp.URI, (self._client.uri(name, as_class),)),
                Given("requested-attributes", ipp.KEYWORD, ("all",)),
            ]
            answer = self._client.call(calls.GET_PRINTER, about, missing=True)
            for told in answer.groups:
                if name_of(told) == name and not _truth(told, "printer-is-temporary"):
                    return told
        return None

    def _server(self) -> ConfigObject:
        answer = self._client.call_default()
        name = next((name_of(group) for group in answer.groups), "")
        attributes = {"default": write_slash((name,))} if name else {}
        return ConfigObject(name="", kind=SERVER, attributes=attributes)

    def _object(self, told: dict[str, Any]) -> ConfigObject:
        name = name_of(told)
        queue = Given("printer-uri", ipp.URI, (self._client.uri(name),))
        try:
            return printer_object(told, None if is_class(told) else self._client.driver(queue))
        except (ConnectorError, ValueError, TypeError) as error:
            kind = CLASS if is_class(told) else QUEUE
            return ConfigObject(name=name, kind=kind, unreadable=f"its driver: {error}")

    # Writing

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Tell of jobs that wait, and of what the server would change by itself."""
        live = self._printers()
        found = [finding for step in steps for finding in self._step(step, live)]
        offered = [] if self._own_drivers else self._drivers.offered(steps)
        return found + offered + list(self._by_itself(steps, live))

    def _by_itself(
        self, steps: Sequence[Step], live: dict[str, dict[str, Any]]
    ) -> Iterator[Finding]:
        """Yield what the server would do by itself when queues go, and nobody could take back."""
        going = {step.path[0] for step in steps if step.action == "delete" and step.path}
        will = {step.final_path: step.after for step in steps if step.after is not None}
        for name, told in live.items():
            members = [str(one) for one in told.get("member-names", [])]
            if (name,) in will:
                after = (will[(name,)] or {}).get("members", [])
                members = [read_slash(one)[-1] for one in after]
            lost = [one for one in members if one in going]
            if lost and name not in going:
                text = (
                    f"The server would take {', '.join(lost)} out of the class {name} by itself. "
                    "Pick what this class is to hold as well."
                )
                yield Finding("stop", "class-loses", text, (name,), "members")
        default = read_slash(self._server().attributes.get("default", ""))
        if default and default[0] in going and () not in will:
            text = f"{default[0]} is the default queue. Pick another default as well."
            yield Finding("stop", "default-goes", text, default)

    def _step(self, step: Step, live: dict[str, dict[str, Any]]) -> Iterator[Finding]:
        if not step.path:
            if "default" not in (step.after or {}):
                text = "A print server cannot be told to have no default queue any more."
                yield Finding("stop", "not-allowed", text, step.path, "default")
            return
        if step.kind == settings_file.KIND:
            yield from settings_file.findings(step)
            return
        if len(step.final_path) != 1:
            text = "A print server holds queues and classes, and nothing beneath them."
            yield Finding("stop", "no-place", text, step.final_path)
            return
        before, after = step.before or {}, step.after or {}
        if after.get("users") and after.get("users_not"):
            text = "Either those are named who may print, or those who may not."
            yield Finding("stop", "not-in-limits", text, step.final_path, "users")
        if "options" in after and "driver" not in after:
            text = "Options are set in a driver, and the queue would have none."
            yield Finding("stop", "not-in-limits", text, step.final_path, "options")
        if "driver" in before and step.after is not None and "driver" not in after:
            text = "The server keeps the driver of a queue. Delete the queue, and make it anew."
            yield Finding("stop", "not-allowed", text, step.final_path, "driver")
        jobs = self._jobs(step) if step.path[0] in live else []
        if jobs:
            named = ", ".join(jobs[:_JOBS_NAMED])
            more = f" and {len(jobs) - _JOBS_NAMED} more" if len(jobs) > _JOBS_NAMED else ""
            what = "are lost with it" if step.action == "delete" else "may print otherwise"
            text = f"{len(jobs)} jobs wait in {step.path[0]} and {what}: {named}{more}."
            effect = Effect(
                "interrupts", f"{len(jobs)} jobs of {step.path[0]}", steps=(step.number,)
            )
            yield Finding("confirm", "jobs-wait", text, step.path, effect=effect)

    def _jobs(self, step: Step) -> list[str]:
        about = [
            Given("printer-uri", ipp.URI, (self._uri(step),)),
            Given("which-jobs", ipp.KEYWORD, ("not-completed",)),
            Given("requested-attributes", ipp.KEYWORD, ("job-id", "job-name")),
            Given("limit", ipp.INTEGER, (1000,)),
        ]
        answer = self._client.call(calls.GET_JOBS, about, missing=True)
        return [
            " ".join(str(v) for name in ("job-id", "job-name") for v in group.get(name, [])[:1])
            for group in answer.groups
        ]

    def _uri(self, step: Step) -> str:
        return self._client.uri(step.path[0], (step.was_kind or step.kind) == CLASS)

    def render(self, step: Step) -> str:
        """Write a step as the operations that carry it out, with their attributes."""
        if step.kind == settings_file.KIND:
            return settings_file.shown(step)
        return "\n\n".join(_shown(*one) for one in self._operations(step))

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out a step: one operation, or two where a queue takes the place of a class."""
        for step, _ in ready:
            if step.kind == settings_file.KIND:
                text = str((step.after or {}).get("text", ""))
                settings_file.write_settings(self._client, text)
                continue
            for _, operation, about, printer, data in self._operations(step):
                self._client.call(operation, about, printer, data)
        return [""] * len(ready)

    def _operations(self, step: Step) -> Iterator[tuple[str, int, list[Given], list[Given], bytes]]:
        """Yield the operations of a step: name, number, what it is about, what it gives, data."""
        before, after = step.before or {}, step.after or {}
        if not step.path:
            named = read_slash(str(after.get("default", "")))
            about = [Given("printer-uri", ipp.URI, (self._client.uri(named[-1] if named else ""),))]
            yield "CUPS-Set-Default", calls.SET_DEFAULT, about, [], b""
            return
        about = [Given("printer-uri", ipp.URI, (self._uri(step),))]
        if step.action == "delete" or (step.was_kind and step.was_kind != step.kind):
            name, number = _CALLS[step.was_kind or step.kind, "delete"]
            yield name, number, about, [], b""
            if step.action == "delete":
                return
            before, about = {}, [
                Given("printer-uri", ipp.URI, (self._client.uri(step.path[0], step.kind == CLASS),))
            ]  # fmt: skip
        printer = written(before, after, self._client.uri)
        driver = driver_to_send(before, after)
        if printer or driver or not before:
            name, number = _CALLS[step.kind, "put"]
            yield name, number, about, printer, driver.encode()

    def adjust(self, steps: Sequence[Step]) -> tuple[tuple[Step, ...], list[Finding]]:
        """Let queues get the server's own drivers, and be shared or not, where that is chosen."""
        findings: list[Finding] = []
        if self._own_drivers:
            steps, findings = self._drivers.in_place(steps)
        if self._sharing == SHARING[0]:
            return tuple(steps), findings
        wanted = self._sharing == "all"
        made = tuple(
            msgspec.structs.replace(step, after={**step.after, "shared": wanted})
            if step.after is not None
            and step.kind in (QUEUE, CLASS)
            and step.after.get("shared", wanted) != wanted
            else step
            for step in steps
        )
        how = "is shared in the network" if wanted else "is not shared in the network"
        text = f"As chosen for this restore, whatever is put back {how}."
        if made != tuple(steps):
            findings.append(Finding("note", "sharing-chosen", text, ()))
        return made, findings

    def names_for(self, places: Sequence[Path], taken: Callable[[Path], bool]) -> list[str]:
        """Return names that no queue or class has: they hold no spaces (RFC 8011, 5.4.4)."""
        live = self._printers()
        return counted(
            places, lambda path: path[-1] in live or taken(path),
            lambda name, number: f"{name[: _LONGEST_NAME - 4]}-{number}",
        )  # fmt: skip

    def called(self, kind: str, attributes: Attributes, place: Path) -> Attributes:
        """Return the same: a name is told by the place alone."""
        return attributes

    def try_out(self, path: Path, kind: str) -> str:
        """Print a test page."""
        return print_page(self._client, self._client.uri(path[0], kind == CLASS), path[0])

    def validate(self, tree: Snapshot) -> list[Problem]:
        """Return nothing beside what is looked for in every tree."""
        return []


def _truth(told: dict[str, Any], name: str) -> bool:
    return bool(next(iter(told.get(name, [])), False))


def _shown(
    name: str, number: int, about: Iterable[Given], printer: Iterable[Given], data: bytes
) -> str:
    lines = [name]
    for one in (*about, *printer):
        values = ", ".join(map(_told, one.values)) if one.tag != ipp.DELETE else "(none)"
        lines.append(f"  {one.name} = {values}")
    if data:
        lines.append(f"  (the driver follows, {len(data):,} bytes)")
    return "\n".join(lines)


def _told(value: Any) -> str:
    return ("true" if value else "false") if isinstance(value, bool) else str(value)
