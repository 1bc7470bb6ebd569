"""The directory connector: LDAP v3 entries as objects, and back."""

import re
from collections.abc import Callable, Iterator, Sequence
from contextlib import suppress
from functools import cached_property
from typing import Any, NamedTuple

import ldap
from ldap.controls import RequestControl, SimplePagedResultsControl
from ldap.controls.libldap import AssertionControl
from ldap.controls.simple import ManageDSAITControl
from ldap.filter import escape_filter_chars, filter_format
from ldap.ldapobject import SimpleLDAPObject

from keepsort.connectors.base import (
    ALREADY,
    DONE,
    Description,
    Endpoint,
    Outcome,
    Problem,
    Promises,
    SecretKeeper,
)
from keepsort.connectors.directory import ldif
from keepsort.connectors.directory.changes import modifications
from keepsort.connectors.directory.naming import keeps_old_name, naming, same_value
from keepsort.connectors.directory.schema import SET_BY_PEOPLE, DirectorySchema
from keepsort.connectors.directory.session import connect, plain_errors
from keepsort.connectors.errors import (
    Conflict,
    ConnectorError,
    Misconfigured,
    NoSuchBranch,
    Refused,
)
from keepsort.core.model import Attributes, ConfigObject, Path, Value
from keepsort.core.model.notation import split_dn
from keepsort.core.plan import Finding, Step
from keepsort.core.plan.references import references
from keepsort.core.plan.rehearsal import holds, is_done
from keepsort.core.snapshot import Snapshot

_ATTEMPTS = 3
#: So many requests may wait for the server at once.
_AHEAD = 64
#: An entry, where there is one, and its stamp, where the server has such.
_Read = tuple[ConfigObject | None, str | None]
#: One part of a modify request, as the library takes it.
Modify = tuple[int, str, list[bytes] | None]
_ASSERTION = "1.3.6.1.1.12"  # RFC 4528
_MANAGE_DSA_IT = "2.16.840.1.113730.3.4.2"  # RFC 3296
_MOST_TRIED = 1000
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


def open_directory(endpoint: Endpoint, secrets: SecretKeeper) -> "Directory":
    """Connect to a directory and sign in. Raises a `ConnectorError`."""
    return Directory(endpoint, secrets)


class Directory:
    """One directory, from its base downwards."""

    def __init__(self, endpoint: Endpoint, secrets: SecretKeeper) -> None:
        base = endpoint.options.get("base", "")
        if not base or split_dn(base) is None:
            raise Misconfigured(
                f"The base {base!r} is no distinguished name.",
                "Give the topmost entry, like base=dc=kelpmoor,dc=example.",
            )
        try:
            self._page_size = int(endpoint.options.get("page_size") or "1000")
        except ValueError:
            raise Misconfigured("The number of entries a page is no number.") from None
        self._endpoint = endpoint
        self._base = base
        self._secrets = secrets
        self._session: SimpleLDAPObject = connect(endpoint)
        #: what was read ahead for steps that are applied next
        self._foreseen: dict[Path, _Read] = {}

    def close(self) -> None:
        """Let go of the connection."""
        with suppress(ldap.LDAPError):  # it may be gone already
            self._session.unbind_s()

    # What the directory is

    @cached_property
    def _root_dse(self) -> dict[str, list[str]]:
        with plain_errors(self._endpoint):
            found = self._session.search_s("", ldap.SCOPE_BASE, attrlist=_ALL)
        entry = found[0][1] if found else {}
        return {k: [v.decode("utf-8", "replace") for v in vs] for k, vs in entry.items()}

    @cached_property
    def schema(self) -> DirectorySchema:
        """The schema that the directory publishes."""
        with plain_errors(self._endpoint):
            where = self._session.search_subschemasubentry_s(self._base)
            where = where or self._session.search_subschemasubentry_s("")
            entry = self._session.read_subschemasubentry_s(where) if where else None
        if not entry:
            raise Misconfigured(
                f"{self._endpoint.address} shows no schema to this account.",
                "Allow the account to read the subschema entry.",
            )
        secrets = self._endpoint.options.get("secrets") or "userPassword"
        return DirectorySchema(entry, self._base, secrets.split(","))

    @cached_property
    def _controls(self) -> list[RequestControl]:
        """What goes with every request: referrals are entries to look at, not to follow."""
        known = _MANAGE_DSA_IT in self._root_dse.get("supportedControl", ())
        return [ManageDSAITControl(criticality=False)] if known else []

    @cached_property
    def _asserts(self) -> bool:
        return _ASSERTION in self._root_dse.get("supportedControl", ())

    def describe(self) -> Description:
        """Return what the directory is, asked from itself."""
        dse = self._root_dse
        named = [*dse.get("vendorName", ()), *dse.get("vendorVersion", ())]
        classes = {c.lower() for c in dse.get("objectClass", ())}
        if not named:
            named = ["OpenLDAP"] if "openldaprootdse" in classes else ["LDAP v3 directory"]
        return Description(
            software=" ".join(named),
            schema=self.schema.model,
            promises=Promises(
                compare_and_set="server" if self._asserts else "check",
                rename=True,
                stable_identity=True,
            ),
        )

    def rights(self) -> list[str]:
        """Return who is signed in, as the server sees it (RFC 4532)."""
        try:
            who = self._session.whoami_s()
        except ldap.LDAPError:
            return []
        return [f"Signed in as {who.removeprefix('dn:')}." if who else "Nobody is signed in."]

    # Reading

    def observe(self, branch: Path = ()) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield the entries of a branch, parents first, by pages (RFC 2696)."""
        waiting: dict[Path, list[tuple[Path, ConfigObject]]] = {}
        seen: set[Path] = set()
        keys = self.schema.model.names.keys
        top = keys(branch)

        def release(path: Path, obj: ConfigObject) -> Iterator[tuple[Path, ConfigObject]]:
            ready = [(path, obj)]
            while ready:
                place, found = ready.pop()
                seen.add(keys(place))
                yield place, found
                ready.extend(waiting.pop(keys(place), ()))

        for dn, entry in self._pages(self.schema.model.notation.write(branch)):
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
        keys = self.schema.model.names.keys
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
            with plain_errors(self._endpoint):
                try:
                    number = self._session.search_ext(
                        dn, ldap.SCOPE_SUBTREE, "(objectClass=*)", wanted,
                        serverctrls=[*self._controls, *paged],
                    )  # fmt: skip
                    # one message at a time: the library takes much longer to collect a whole page
                    controls = None
                    while controls is None:
                        kind, found, _, given = self._session.result3(number, all=0)
                        for name, entry in found:
                            if name is not None:
                                yield name, entry
                        if kind == ldap.RES_SEARCH_RESULT:
                            controls = given
                except ldap.NO_SUCH_OBJECT:
                    raise NoSuchBranch(
                        f"{self._endpoint.address} has no entry {dn}, or hides it."
                    ) from None
            cookie = next((c.cookie for c in controls if c.controlType == _PAGES), b"")
            if not cookie:
                return
            control.cookie = cookie

    def _pages_here(self, dn: str) -> bool:
        """Tell whether the server gives pages of a branch; the one of its own settings has none."""
        control = SimplePagedResultsControl(True, size=1, cookie="")
        try:
            self._session.search_ext_s(
                dn, ldap.SCOPE_BASE, attrlist=["1.1"], serverctrls=[*self._controls, control]
            )
        except (ldap.UNAVAILABLE_CRITICAL_EXTENSION, ldap.UNWILLING_TO_PERFORM):
            return False
        except ldap.LDAPError:
            return True  # the search itself will say what is wrong
        return True

    @cached_property
    def _shown_facts(self) -> list[str]:
        """Operational attributes to ask for, where the server says which it has; else all."""
        known = [n for n in _FACTS if n.lower() in self.schema.operational]
        return [*known, *SET_BY_PEOPLE] if "entryUUID" in known else ["+"]

    def read(self, paths: Sequence[Path]) -> list[ConfigObject | None]:
        """Return chosen entries as they are now."""
        return [found for found, _ in self._read_many(paths)]

    def _read_one(self, path: Path) -> _Read:
        return self._read_many([path])[0]

    def _read_many(self, paths: Sequence[Path]) -> list[_Read]:
        """Return entries, each with the stamp (entryCSN) that changes with every change to it.

        They are asked for ahead: a server answers requests that wait for it one after the other.
        """
        found: list[_Read] = []
        for start in range(0, len(paths), _AHEAD):
            some = paths[start : start + _AHEAD]
            with plain_errors(self._endpoint):
                numbers = [
                    self._session.search_ext(
                        self.schema.model.notation.write(path), ldap.SCOPE_BASE,
                        attrlist=_ALL, serverctrls=self._controls,
                    )
                    for path in some
                ]  # fmt: skip
            found += [self._answered(p, n) for p, n in zip(some, numbers, strict=True)]
        return found

    def _answered(self, path: Path, number: int) -> _Read:
        with plain_errors(self._endpoint):
            try:
                found = self._session.result3(number)[1]
            except ldap.NO_SUCH_OBJECT as error:
                return (self._hidden(path) if self._conceals(path, error) else None), None
            except ldap.INSUFFICIENT_ACCESS:
                return self._hidden(path), None
        entries = [(name, entry) for name, entry in found if name is not None]
        if not entries:
            return self._hidden(path), None
        name, entry = entries[0]
        stamp = entry.get("entryCSN", [b""])[0].decode("ascii", "replace")
        return self._object(self._path(name) or path, entry), stamp or None

    def _conceals(self, path: Path, error: ldap.LDAPError) -> bool:
        """Tell "hidden" from "does not exist".

        A server must name the nearest entry above that exists (RFC 4511, section 4.1.9,
        matchedDN). Where it names none although the entry above can be read, it conceals.
        """
        detail = error.args[0] if error.args and isinstance(error.args[0], dict) else {}
        if detail.get("matched") or not path:
            return False
        above = self.schema.model.notation.write(path[:-1])
        try:
            found = self._session.search_ext_s(
                above, ldap.SCOPE_BASE, attrlist=["1.1"], serverctrls=self._controls
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
        return self.schema.model.notation.read(dn)

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
            kind = self.schema.structural([c.decode() for c in entry.get("objectClass", ())])
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
        spec = self.schema.model.spec("", name)
        found = attributes[name]
        values = found if isinstance(found, list) else [found]
        kept = [v for v in values if not same_value(spec.matching, v, value)]
        if not kept:
            del attributes[name]
        elif isinstance(found, list):
            attributes[name] = kept

    def _spelt(self, attributes: Attributes, kind: str) -> str | None:
        called = self.schema.aliases(kind)
        return next((name for name in attributes if name.lower() in called), None)

    @cached_property
    def _readers(self) -> "_Readers":
        return _Readers(self._reader)

    def _reader(self, name: str) -> "_Reader":
        """Work out, once for each attribute, how its values are read."""
        low = name.partition(";")[0].lower()
        read: Callable[[bytes], Value] = bytes.decode
        if low in self.schema.secret:
            read = self._secrets.digest
        elif low in self.schema.binary:
            read = bytes
        elif low in self.schema.references:
            read = _dn
        return _Reader(
            fact=low in self.schema.operational,
            shown=low not in _HIDDEN_FACTS,
            single=low in self._single,
            read=read,
        )

    @cached_property
    def _single(self) -> set[str]:
        return {n.lower() for n, s in self.schema.model.attributes.items() if s.shape == "single"}

    # Writing

    def check(self, steps: Sequence[Step], origin: Snapshot) -> list[Finding]:
        """Look for what this directory's schema and rights will not allow."""
        found: list[Finding] = []
        if not self._asserts:
            text = (
                "This server has no assertion control (RFC 4528): each entry is read right before "
                "it is written, but a change in that very moment would not be noticed."
            )
            found.append(Finding("note", "check-then-write", text))
        for step in steps:
            if step.after is not None:
                found += self._check_schema(step)
                found += self._check_secrets(step)
        known = {finding.path for finding in found if finding.level == "stop"}
        return found + [f for f in self._tried(steps) if f.path not in known]

    def _tried(self, steps: Sequence[Step]) -> Iterator[Finding]:
        """Ask OpenLDAP what the account may not change, with requests that cannot succeed.

        Each begins by adding, or taking away, one value twice in a row: the second time fails,
        whatever follows. A modify request happens whole or not at all (RFC 4511, section 4.6), and
        OpenLDAP looks at the rights to all of it before anything else.
        What is only to come to its place cannot be asked about before it is there.
        """
        keys = self.schema.model.names.keys
        if "openldaprootdse" not in {c.lower() for c in self._root_dse.get("objectClass", ())}:
            return
        coming = {keys(step.final_path) for step in steps if step.action in ("create", "move")}
        updates = [step for step in steps if step.action == "update"]
        for step in updates[:_MOST_TRIED]:
            place = keys(step.path)
            if any(place[:depth] in coming for depth in range(len(place) + 1)):
                continue
            request = self._modifications(step, step.before or {})
            twice = next((m for m in request if m[0] != ldap.MOD_REPLACE and m[2]), None)
            if twice is None:
                continue
            dn = self.schema.model.notation.write(step.path)
            try:
                self._session.modify_ext_s(dn, [twice, twice, *request], serverctrls=self._controls)
            except ldap.INSUFFICIENT_ACCESS:
                text = "The account may not write this."
                yield Finding("stop", "not-allowed", text, step.path)
            except (ldap.LDAPError, ConnectorError):
                continue  # as it must

    def _modifications(self, step: Step, found: Attributes) -> list[Modify]:
        """Return what to ask of an entry that has some attributes so that the step is done."""
        changes = modifications(
            self.schema.model, step.kind, found, step.after or {}, self._to_bytes,
            held=self._held_by_name(step.path),
        )  # fmt: skip
        return [(_OPERATIONS[c.operation], c.attribute, c.values or None) for c in changes]

    def _check_schema(self, step: Step) -> Iterator[Finding]:
        assert step.after is not None
        classes = step.after.get("objectClass", [])
        before = (step.before or {}).get("objectClass", [])
        if step.action == "update" and before:
            old, new = self.schema.structural(before), self.schema.structural(classes)
            if old != new:
                text = (
                    f"It is a {old} and would become a {new}: a directory never changes that of an "
                    "entry. Delete the entry by hand and look again, and it comes back whole."
                )
                yield Finding("stop", "structural-class", text, step.final_path, "objectClass")
        unknown = [c for c in classes if not self.schema.knows_class(c)]
        for name in unknown:
            text = f"The server's schema has no object class {name}; it will refuse the entry."
            yield Finding("stop", "unknown-class", text, step.final_path, "objectClass")
        allowed = None if unknown else self.schema.allowed(classes)
        if allowed is not None:
            for name in sorted(step.after):
                if name.partition(";")[0].lower() not in allowed:
                    text = f"The entry's object classes do not allow {name}; the server refuses it."
                    yield Finding("stop", "not-allowed-by-schema", text, step.final_path, name)

    def _check_secrets(self, step: Step) -> Iterator[Finding]:
        assert step.after is not None
        for name in sorted(step.after):
            before = (step.before or {}).get(name)
            if self.schema.is_secret(name) and step.after[name] != before:
                values = step.after[name]
                for value in values if isinstance(values, list) else [values]:
                    if self._secrets.reveal(value) is None:
                        text = f"The value of {name} was never kept, so it cannot be put back."
                        yield Finding("stop", "secret-unknown", text, step.final_path, name)

    def render(self, step: Step) -> str:
        """Write a step as an LDIF change record."""
        dn = self.schema.model.notation.write(step.path)
        masked = self.schema.is_secret
        if step.action == "create":
            return ldif.add_record(dn, self._entry(step, shown=True), masked)
        if step.action == "delete":
            return ldif.delete_record(dn)
        if step.action == "move":
            assert step.to is not None
            return ldif.rename_record(
                dn, step.to[-1], self.schema.model.notation.write(step.to[:-1]),
                keeps_old=keeps_old_name(self.schema.model, step),
            )  # fmt: skip
        changes = modifications(
            self.schema.model, step.kind, step.before or {}, step.after or {}, self._shown,
            held=self._held_by_name(step.path),
        )  # fmt: skip
        return ldif.modify_record(dn, changes, masked)

    def apply(self, step: Step) -> Outcome:
        """Carry out one step, if the entry is as the step expects."""
        if step.action == "create":
            return self._create(step)
        for _ in range(_ATTEMPTS - 1):
            # the server itself may be putting references right at this very moment
            with suppress(_JustChanged):
                return self._attempt(step)
        return self._attempt(step)

    def foresee(self, steps: Sequence[Step]) -> None:
        """Read ahead what steps begin with, where the server guards each write by its stamp."""
        self._foreseen.clear()
        if not self._asserts:
            return
        paths = [step.path for step in steps if step.action != "create"]
        read = self._read_many(paths)
        self._foreseen.update(
            (path, one) for path, one in zip(paths, read, strict=True) if one[1] is not None
        )

    def _attempt(self, step: Step) -> Outcome:
        schema = self.schema.model
        ahead = self._foreseen.pop(step.path, None)
        if ahead is not None and holds(schema, step, ahead[0]):
            found, stamp = ahead
        else:
            found, stamp = self._read_one(step.path)
        if step.action == "move":
            assert step.to is not None
            if found is None and is_done(schema, step, self._read_one(step.to)[0]):
                return ALREADY
        elif is_done(schema, step, found):
            return ALREADY
        if found is None or not holds(schema, step, found):
            raise Conflict(
                f"{schema.notation.write(step.path)} is not what the preview showed.", found
            )
        self._write(step, found, stamp)
        return DONE

    def _create(self, step: Step) -> Outcome:
        dn = self.schema.model.notation.write(step.path)
        with plain_errors(self._endpoint):
            try:
                self._send(step, None, self._controls)
            except ldap.ALREADY_EXISTS:
                found = self._read_one(step.path)[0]
                if is_done(self.schema.model, step, found):
                    return ALREADY
                raise Conflict(
                    f"{dn} exists already, and is not as the backup has it.", found
                ) from None
            except ldap.NO_SUCH_OBJECT:
                raise Refused(f"The entry that should hold {dn} does not exist.") from None
        return DONE

    def _write(self, step: Step, found: ConfigObject, stamp: str | None) -> None:
        dn = self.schema.model.notation.write(step.path)
        with plain_errors(self._endpoint):
            try:
                self._send(step, found, [*self._controls, *self._assertion(found, stamp)])
            except ldap.ASSERTION_FAILED:
                raise _JustChanged(f"{dn} was changed by somebody at this very moment.") from None
            except ldap.NO_SUCH_OBJECT:
                raise Conflict(
                    f"{dn}, or the place it should go to, does not exist any more."
                ) from None

    def _send(self, step: Step, found: ConfigObject | None, controls: list[RequestControl]) -> None:
        """Send the request that carries a step out. Raises `ldap.LDAPError`."""
        schema = self.schema.model
        dn = schema.notation.write(step.path)
        if step.action == "create":
            self._session.add_ext_s(dn, self._entry(step), serverctrls=controls)
        elif step.action == "delete":
            self._session.delete_ext_s(dn, serverctrls=controls)
        elif step.action == "move":
            assert step.to is not None
            superior = schema.notation.write(step.to[:-1])
            keeps_old = keeps_old_name(schema, step)
            self._session.rename_s(
                dn, step.to[-1], superior, delold=int(not keeps_old), serverctrls=controls
            )
        elif found is not None:
            request = self._modifications(step, found.attributes)
            if request:
                self._session.modify_ext_s(dn, request, serverctrls=controls)

    def _assertion(self, found: ConfigObject, stamp: str | None) -> list[AssertionControl]:
        if not self._asserts:
            return []
        if stamp is not None:
            return [AssertionControl(True, filter_format("(entryCSN=%s)", [stamp]))]
        parts = []
        for name, values in sorted(found.attributes.items()):
            for value in values if isinstance(values, list) else [values]:
                if isinstance(value, str) and not self.schema.is_secret(name):
                    parts.append(f"({name}={escape_filter_chars(value)})")
        return [AssertionControl(True, f"(&{''.join(parts)})")] if parts else []

    def _entry(self, step: Step, shown: bool = False) -> list[tuple[str, list[bytes]]]:
        """Return the attributes of a new entry, its naming values among them."""
        convert = self._shown if shown else self._to_bytes
        entry: dict[str, list[bytes]] = {}
        for name, values in sorted(
            (step.after or {}).items(), key=lambda a: (a[0] != "objectClass", a)
        ):
            entry[name] = [
                convert(name, v) for v in (values if isinstance(values, list) else [values])
            ]
        for kind, value in naming(step.path):
            name = next((n for n in entry if n.lower() in self.schema.aliases(kind)), kind)
            raw = value if isinstance(value, bytes) else value.encode()
            entry.setdefault(name, []).insert(0, raw)
        return list(entry.items())

    def _held_by_name(self, path: Path) -> set[str]:
        """Return the attributes, lower case, that have a value in the entry's own name."""
        return {alias for kind, _ in naming(path) for alias in self.schema.aliases(kind)}

    def _to_bytes(self, name: str, value: Value) -> bytes:
        if self.schema.is_secret(name):
            kept = self._secrets.reveal(value)
            if kept is None:
                raise Refused(f"The value of {name} was never kept.", "Set it by hand afterwards.")
            return kept
        return value if isinstance(value, bytes) else str(value).encode()

    def _shown(self, name: str, value: Value) -> bytes:
        if self.schema.is_secret(name):
            return b"secret"
        return value if isinstance(value, bytes) else str(value).encode()

    # Soundness

    def validate(self, tree: Snapshot) -> list[Problem]:
        """List references to entries that do not exist."""
        schema, keys = tree.schema, tree.schema.names.keys
        exists: dict[Path, bool] = {}
        # most entries refer to nothing: their encoded attributes tell, without being decoded
        named = re.compile(b"|".join(re.escape(n.encode()) for n in sorted(schema.references)))
        found = []
        for node in tree.walk():
            if not named.search(node.entry.attributes):
                continue
            attributes = tree.attributes(node.entry)
            for name, path in references(schema, node.entry.kind, attributes):
                inside = keys(path)[: len(tree.at)] == keys(tree.at)
                key = keys(path)
                if key not in exists:
                    exists[key] = tree.find(path) is not None
                if inside and not exists[key]:
                    text = f"{name} names {schema.notation.write(path)}, which does not exist."
                    found.append(Problem(node.path, text))
        return found


class _JustChanged(Conflict):
    """The entry changed between being read and being written."""


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


_OPERATIONS = {"add": ldap.MOD_ADD, "delete": ldap.MOD_DELETE, "replace": ldap.MOD_REPLACE}
