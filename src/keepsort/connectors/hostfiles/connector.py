"""The config files connector: chosen folders of a host as a tree of objects, and back."""

from collections.abc import Iterator, Sequence
from contextlib import suppress

from keepsort.connectors.base import (
    Description,
    Ending,
    Endpoint,
    Problem,
    Promises,
    Ready,
    SecretKeeper,
    Seen,
)
from keepsort.connectors.errors import Refused
from keepsort.connectors.hostfiles import local
from keepsort.connectors.hostfiles.access import (
    Access,
    SftpAccess,
)
from keepsort.connectors.hostfiles.choosing import Choice, shown
from keepsort.connectors.hostfiles.composing import SCHEMA
from keepsort.connectors.hostfiles.reading import Reading
from keepsort.connectors.hostfiles.rendering import rendered
from keepsort.connectors.hostfiles.replacing import FILES, Replacing
from keepsort.connectors.hostfiles.rights import Folders, may_write
from keepsort.connectors.hostfiles.secrets import DEFAULT, Secrets
from keepsort.connectors.hostfiles.signing_in import sign_in
from keepsort.core.model import ConfigObject, Path, Value
from keepsort.core.plan import Effect, Finding, Right, Step, numbers
from keepsort.core.snapshot import Snapshot
from keepsort.formats import FORMATS, NotParsed, opening


def open_hostfiles(endpoint: Endpoint, secrets: SecretKeeper) -> "HostFiles":
    """Open a way to the files of a host. Raises a `ConnectorError`."""
    choice = Choice.of(endpoint)
    hidden = Secrets(endpoint.options.get("secrets") or DEFAULT, secrets)
    if endpoint.address.startswith("file:"):
        local.allowed()
        return HostFiles(choice, local.LocalAccess(choice.folders), hidden)
    client, key = sign_in(endpoint)
    learned = {} if endpoint.options.get("host_key") else {"host_key": key}
    return HostFiles(choice, SftpAccess(client, endpoint.address), hidden, learned)


class HostFiles:
    """The chosen folders of one host."""

    def __init__(
        self,
        choice: Choice,
        access: Access,
        hidden: Secrets,
        learned: dict[str, str] | None = None,
    ) -> None:
        self._choice = choice
        self._access = access
        self._hidden = hidden
        self.learned = learned or {}
        self._reading = Reading(choice, access, hidden)
        self._replacing = Replacing(choice, access, hidden, self._reading)

    def close(self) -> None:
        """Let go of the connection."""
        self._access.close()

    def describe(self) -> Description:
        """Return what the host is."""
        return Description(
            software=self._access.software(),
            schema=SCHEMA,
            promises=Promises(compare_and_set="check", rename=True),
            depth_first=True,
        )

    def rights(self) -> list[str]:
        """Return which of the chosen folders the account may read and write."""
        told = []
        folders = Folders(self._access)
        for folder in self._choice.folders:
            named = self._choice.named(folder)
            try:
                self._access.listed(folder)
            except FileNotFoundError:
                told.append(f"There is no folder {named}.")
                continue
            except OSError:
                told.append(f"May not read {named}.")
                continue
            then = {True: " and write in it.", False: " only.", None: "."}
            told.append(f"May read {named}" + then[folders.is_writable(folder)])
        return told

    def may_write(self, steps: Sequence[Step]) -> list[Right]:
        """Ask the host in which folders the account may write, and who it is."""
        return list(may_write(self._choice, self._access, self._reading.names[0], steps))

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield files and folders of a branch, and what the files hold."""
        return self._reading.observe(branch)

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return chosen files, or what they hold, as they are now, with a digest of each."""
        return self._reading.look(paths)

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Tell what will be run, what cannot be written, and what no longer parses."""
        found: list[Finding] = []
        for step in steps:
            where = self._choice.written(step.final_path)
            if not self._reading.folder_of(where):
                text = "It is in none of the chosen folders, so nothing is written there."
                found.append(Finding("stop", "outside", text, step.final_path))
            after = step.after or {}
            if step.kind == "binary" and step.action in ("create", "update"):
                same = (step.before or {}).get("digest") == after.get("digest")
                if "content" not in after and not same:
                    text = "Only its digest and size were kept, so its contents cannot go back."
                    found.append(Finding("stop", "contents-not-kept", text, step.final_path))
            found += self._hidden.wanting(step)
            if step.kind in FORMATS and "text" in after:
                try:
                    opening.places(step.kind, str(after["text"]))
                except NotParsed as error:
                    text = f"As it will be, it is no {FORMATS[step.kind].label}: {error}."
                    found.append(Finding("note", "not-parsed", text, step.final_path))
        return [*found, *self._commands(steps)]

    def _commands(self, steps: Sequence[Step]) -> Iterator[Finding]:
        """Tell of the commands that are run, each once."""
        checking: dict[str, list[Step]] = {}
        applying: dict[str, list[Step]] = {}
        for step in steps:
            where = self._choice.written(step.final_path)
            command = self._choice.command(where) if step.kind in FILES else None
            if command is None:
                continue
            if command.check and step.action in ("create", "update"):
                checking.setdefault(shown(command.check), []).append(step)
            if command.apply:
                applying.setdefault(shown(command.apply), []).append(step)
        for words, some in checking.items():
            what = "the new file" if len(some) == 1 else f"each of {len(some)} new files"
            text = f"“{words}” must accept {what} before it takes its place."
            effect = Effect("runs", words, "with", numbers(some))
            yield Finding("note", "check-command", text, some[0].final_path, effect=effect)
        for words, some in applying.items():
            once = "once" if len(some) == 1 else f"once for all {len(some)} files"
            text = f"“{words}” is run on the host afterwards, {once}."
            effect = Effect("runs", words, "after", numbers(some))
            yield Finding("confirm", "apply-command", text, some[0].final_path, effect=effect)

    def render(self, step: Step) -> str:
        """Write a step as the operations of SFTP that carry it out, with what differs."""
        where = self._choice.written(step.path)
        to = self._choice.written(step.to) if step.to is not None else ""
        command = self._choice.command(where) if step.kind in FILES else None
        size = None
        with suppress(Refused):
            data = self._replacing.data(step.kind, step.after or {})
            size = len(data) if data is not None else None
        return rendered(step, where, to, command, size)

    def write(self, ready: Sequence[Ready]) -> list[str]:
        """Carry out one step, right after the file was looked at."""
        return self._replacing.write(ready)

    def standing(self, steps: Sequence[Step]) -> dict[str, Value]:
        """Nothing is altered for the sake of a run; it is noted which files it writes."""
        return self._replacing.standing(steps)

    def begin(self, standing: dict[str, Value]) -> None:
        """Take away what a run that was cut off has left beside the files it was to write."""
        self._replacing.begin(standing)

    def put_back(self, standing: dict[str, Value]) -> Ending:
        """Return nothing: nothing was altered."""
        return Ending()

    def finish(self, done: Sequence[Step]) -> Ending:
        """Run the commands that apply what was written, each once."""
        return self._replacing.finish(done)

    def validate(self, tree: Snapshot) -> list[Problem]:
        """List files that do not parse, and links that lead nowhere."""
        found = []
        for node in tree.walk():
            if node.entry.kind in FORMATS:
                text = tree.object(node).attributes.get("text", "")
                try:
                    opening.places(node.entry.kind, str(text))
                except NotParsed as error:
                    label = FORMATS[node.entry.kind].label
                    found.append(Problem(node.path, f"It is no {label}: {error}."))
            elif node.entry.kind == "link":
                where = self._choice.written(node.path)
                try:
                    self._access.real(where)
                except OSError:
                    found.append(Problem(node.path, f"{where} leads to a file that is not there."))
        return found
