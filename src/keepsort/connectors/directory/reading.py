"""Reads entries of a directory as objects."""

from collections.abc import Callable, Iterator, Sequence
from functools import cached_property
from typing import Any, NamedTuple

import ldap
from ldap.controls import SimplePagedResultsControl

from keepsort.connectors.base import (
    SecretKeeper,
    Seen,
)
from keepsort.connectors.directory.naming import naming, same_value
from keepsort.connectors.directory.schema import SET_BY_PEOPLE
from keepsort.connectors.directory.server import Server
from keepsort.connectors.directory.session import plain_errors
from keepsort.connectors.errors import (
    NoSuchBranch,
)
from keepsort.core.model import Attributes, ConfigObject, Path, Value
from keepsort.core.model.notation import split_dn

#: So many requests may wait for the server at once.
_AHEAD = 64
_PAGES = "1.2.840.113556.1.4.319"  # RFC 2696
_HIDDEN_FACTS = {"entryuuid", "subschemasubentry", "structuralobjectclass", "entrydn"}
_ALL = ["*", "+"]
#: Operational attributes that are asked for, where the server has them.
_FACTS = [
    "entryUUID",
    "structuralObjectClass",
    "entryCSN",
    "createTimestamp",
    "creatorsName",
    "modifyTimestamp",
    "modifiersName",
    "hasSubordinates",
    "memberOf",
    "pwdChangedTime",
    "pwdAccountLockedTime",
    "authTimestamp",
    "pwdLastSuccess",
    "pwdFailureTime",
    "pwdPolicySubentry",
]


class Reading:
    """What can be read of one directory."""

    def __init__(self, server: Server, secrets: SecretKeeper, page_size: int) -> None:
        self._server = server
        self._secrets = secrets
        self._page_size = page_size

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the entries of a branch, parents first, by pages (RFC 2696)."""
        waiting: dict[Path, list[tuple[Path, ConfigObject]]] = {}
        seen: set[Path] = set()
        keys = self._server.schema.model.names.keys
        top = keys(branch)

        def release(path: Path, obj: ConfigObject) -> Iterator[tuple[Path, ConfigObject]]:
            ready = [(path, obj)]
            while ready:
                place, found = ready.pop()
                seen.add(keys(place))
                yield place, found
                ready.extend(waiting.pop(keys(place), ()))

        for dn, entry in self._pages(self._server.schema.model.notation.write(branch)):
            path = self._path(dn)
            if path is None:
                continue
            obj = self._object(path, entry)
            key = keys(path)
            if key != top and key[:-1] not in seen:
                waiting.setdefault(key[:-1], []).append((path, obj))
            elif waiting:
                yield from release(path, obj)
            else:
                seen.add(key)
                yield path, obj
        yield from self._orphans(waiting, seen, branch, release)

    def _orphans(self, waiting: Any, seen: set[Path], branch: Path, release: Any) -> Iterator[Any]:
        """Yield entries whose parents the account may not read, the parents shown as such."""
        keys = self._server.schema.model.names.keys
        while waiting:
            above = min(waiting, key=lambda k: (len(k), k))
            path: Path = waiting[above][0][0][:-1]
            for depth in range(len(branch), len(path) + 1):
                if keys(path[:depth]) not in seen:
                    name = path[depth - 1] if depth else ""
                    hidden = ConfigObject(
                        name=name,
                        kind="unreadable",
                        unreadable="the account may not read this entry",
                    )
                    yield from release(path[:depth], hidden)

    def _pages(self, dn: str) -> Iterator[tuple[str, dict[str, list[bytes]]]]:
        control = SimplePagedResultsControl(True, size=self._page_size, cookie="")
        wanted = ["*", *self._shown_facts]
        paged = [control] if self._pages_here(dn) else []
        while True:
            with plain_errors(self._server.endpoint):
                try:
                    number = self._server.session.search_ext(
                        dn, ldap.SCOPE_SUBTREE, "(objectClass=*)", wanted,
                        serverctrls=[*self._server.controls, *paged],
                    )  # fmt: skip
                    # one message at a time: the library takes much longer to collect a whole page
                    controls = None
                    while controls is None:
                        kind, found, _, given = self._server.session.result3(number, all=0)
                        for name, entry in found:
                            if name is not None:
                                yield name, entry
                        if kind == ldap.RES_SEARCH_RESULT:
                            controls = given
                except ldap.NO_SUCH_OBJECT:
                    raise NoSuchBranch(
                        f"{self._server.endpoint.address} has no entry {dn}, or hides it."
                    ) from None
            cookie = next((c.cookie for c in controls if c.controlType == _PAGES), b"")
            if not cookie:
                return
            control.cookie = cookie

    def _pages_here(self, dn: str) -> bool:
        """Tell whether the server gives pages of a branch; the one of its own settings has none."""
        control = SimplePagedResultsControl(True, size=1, cookie="")
        try:
            self._server.session.search_ext_s(
                dn, ldap.SCOPE_BASE, attrlist=["1.1"], serverctrls=[*self._server.controls, control]
            )
        except (ldap.UNAVAILABLE_CRITICAL_EXTENSION, ldap.UNWILLING_TO_PERFORM):
            return False
        except ldap.LDAPError:
            return True  # the search itself will say what is wrong
        return True

    @cached_property
    def _shown_facts(self) -> list[str]:
        """Operational attributes to ask for, where the server says which it has; else all."""
        known = [n for n in _FACTS if n.lower() in self._server.schema.operational]
        return [*known, *SET_BY_PEOPLE] if "entryUUID" in known else ["+"]

    def look(self, paths: Sequence[Path]) -> list[Seen]:
        """Return entries, each with the stamp (entryCSN) that changes with every change to it.

        They are asked for ahead: a server answers requests that wait for it one after the other.
        """
        found: list[Seen] = []
        for start in range(0, len(paths), _AHEAD):
            some = paths[start : start + _AHEAD]
            with plain_errors(self._server.endpoint):
                numbers = [
                    self._server.session.search_ext(
                        self._server.schema.model.notation.write(path), ldap.SCOPE_BASE,
                        attrlist=_ALL, serverctrls=self._server.controls,
                    )
                    for path in some
                ]  # fmt: skip
            found += [self._answered(p, n) for p, n in zip(some, numbers, strict=True)]
        return found

    def _answered(self, path: Path, number: int) -> Seen:
        with plain_errors(self._server.endpoint):
            try:
                found = self._server.session.result3(number)[1]
            except ldap.NO_SUCH_OBJECT as error:
                return Seen(self._hidden(path) if self._conceals(path, error) else None)
            except ldap.INSUFFICIENT_ACCESS:
                return Seen(self._hidden(path))
        entries = [(name, entry) for name, entry in found if name is not None]
        if not entries:
            return Seen(self._hidden(path))
        name, entry = entries[0]
        stamp = entry.get("entryCSN", [b""])[0].decode("ascii", "replace")
        return Seen(self._object(self._path(name) or path, entry), stamp or None)

    def _conceals(self, path: Path, error: ldap.LDAPError) -> bool:
        """Tell "hidden" from "does not exist".

        A server must name the nearest entry above that exists (RFC 4511, section 4.1.9,
        matchedDN). Where it names none although the entry above can be read, it conceals.
        """
        detail = error.args[0] if error.args and isinstance(error.args[0], dict) else {}
        if detail.get("matched") or not path:
            return False
        above = self._server.schema.model.notation.write(path[:-1])
        try:
            found = self._server.session.search_ext_s(
                above, ldap.SCOPE_BASE, attrlist=["1.1"], serverctrls=self._server.controls
            )
            return bool(found)
        except ldap.LDAPError:
            return False

    def _hidden(self, path: Path) -> ConfigObject:
        return ConfigObject(
            name=path[-1] if path else "",
            kind="unreadable",
            unreadable="the account may not read this entry",
        )

    def _path(self, dn: str) -> Path | None:
        return self._server.schema.model.notation.read(dn)

    def _object(self, path: Path, entry: dict[str, list[bytes]]) -> ConfigObject:
        """Return an entry; one that cannot be understood is kept as such, with the reason."""
        try:
            return self._understood(path, entry)
        except (ValueError, LookupError) as error:
            return ConfigObject(
                name=path[-1] if path else "",
                kind="unreadable",
                unreadable=f"the entry cannot be kept: {error}",
            )

    def _understood(self, path: Path, entry: dict[str, list[bytes]]) -> ConfigObject:
        attributes: Attributes = {}
        facts: Attributes = {}
        known = self._readers
        for name, values in entry.items():
            shown, fact, single, read = known[name]
            if shown:
                try:
                    found = list(map(read, values))
                except UnicodeDecodeError:
                    found = list(map(_text, values))
                into = facts if fact else attributes
                into[name] = found[0] if single and len(found) == 1 else found
        for kind, value in naming(path):
            self._without(attributes, kind, value)
        structural = entry.get("structuralObjectClass")
        if structural:
            kind = structural[0].decode()
        else:
            kind = self._server.schema.structural(
                [c.decode() for c in entry.get("objectClass", ())]
            )
        identity = entry.get("entryUUID")
        return ConfigObject(
            name=path[-1] if path else "",
            kind=kind,
            identity=identity[0].decode() if identity else None,
            attributes=attributes,
            facts=facts,
        )

    def _without(self, attributes: Attributes, kind: str, value: str | bytes) -> None:
        """Leave out the value that the entry's own name holds already."""
        name = kind if kind in attributes else self._spelt(attributes, kind)
        if name is None:
            return
        spec = self._server.schema.model.spec("", name)
        found = attributes[name]
        values = found if isinstance(found, list) else [found]
        kept = [v for v in values if not same_value(spec.matching, v, value)]
        if not kept:
            del attributes[name]
        elif isinstance(found, list):
            attributes[name] = kept

    def _spelt(self, attributes: Attributes, kind: str) -> str | None:
        called = self._server.schema.aliases(kind)
        return next((name for name in attributes if name.lower() in called), None)

    @cached_property
    def _readers(self) -> "_Readers":
        return _Readers(self._reader)

    def _reader(self, name: str) -> "_Reader":
        """Work out, once for each attribute, how its values are read."""
        low = name.partition(";")[0].lower()
        read: Callable[[bytes], Value] = bytes.decode
        if low in self._server.schema.secret:
            read = self._secrets.digest
        elif low in self._server.schema.binary:
            read = bytes
        elif low in self._server.schema.references:
            read = _dn
        return _Reader(
            fact=low in self._server.schema.operational,
            shown=low not in _HIDDEN_FACTS,
            single=low in self._single,
            read=read,
        )

    @cached_property
    def _single(self) -> set[str]:
        return {
            n.lower()
            for n, s in self._server.schema.model.attributes.items()
            if s.shape == "single"
        }


class _Reader(NamedTuple):
    """How the values of one attribute are read."""

    shown: bool
    fact: bool
    single: bool
    read: Callable[[bytes], Value]


class _Readers(dict[str, _Reader]):
    """How each attribute is read, worked out when it is first met."""

    def __init__(self, find: Callable[[str], _Reader]) -> None:
        super().__init__()
        self._find = find

    def __missing__(self, name: str) -> _Reader:
        found = self[name] = self._find(name)
        return found


def _text(value: bytes) -> Value:
    try:
        return value.decode()
    except UnicodeDecodeError:
        return value


def _dn(value: bytes) -> Value:
    text = _text(value)
    parts = split_dn(text) if isinstance(text, str) else None
    return ",".join(parts) if parts else text
