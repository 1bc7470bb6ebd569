"""Turns the schema a directory publishes (RFC 4512, section 4.2) into ours."""

import re
from collections.abc import Iterable

from ldap.schema import SubSchema
from ldap.schema.models import AttributeType, ObjectClass

from keepsort.core.model import AttributeSpec, DistinguishedNames, Kind, NameRule, Schema
from keepsort.core.model.matching import Matching

_DN_SYNTAXES = {
    "1.3.6.1.4.1.1466.115.121.1.12",  # DN (RFC 4517, section 3.3.9)
    "1.3.6.1.4.1.1466.115.121.1.34",  # Name And Optional UID (section 3.3.21)
}
_BINARY_SYNTAXES = {
    "1.3.6.1.4.1.1466.115.121.1.4",
    "1.3.6.1.4.1.1466.115.121.1.5",
    "1.3.6.1.4.1.1466.115.121.1.8",
    "1.3.6.1.4.1.1466.115.121.1.9",
    "1.3.6.1.4.1.1466.115.121.1.10",
    "1.3.6.1.4.1.1466.115.121.1.23",
    "1.3.6.1.4.1.1466.115.121.1.28",
    "1.3.6.1.4.1.1466.115.121.1.40",
}
#: Operational attributes that people set.
SET_BY_PEOPLE = ("ref",)
_LABELS = {
    "inetOrgPerson": ("person", "user"),
    "organizationalPerson": ("person", "user"),
    "person": ("person", "user"),
    "account": ("account", "key-round"),
    "organizationalUnit": ("unit", "folder-tree"),
    "organization": ("organization", "building"),
    "groupOfNames": ("group", "users"),
    "groupOfUniqueNames": ("group", "users"),
    "posixGroup": ("group", "users"),
    "organizationalRole": ("role", "badge"),
    "applicationProcess": ("service", "server"),
    "device": ("device", "cpu"),
    "domain": ("domain", "globe"),
}


class DirectorySchema:
    """What the directory's attributes and classes mean."""

    def __init__(self, entry: dict[str, list[bytes]], base: str, secrets: Iterable[str]) -> None:
        #: worked out once for each set of classes, for most entries have the same ones
        self._structural: dict[tuple[str, ...], str] = {}
        self._allowed: dict[tuple[str, ...], set[str] | None] = {}
        self._raw = SubSchema(entry)
        self._secrets = {s.strip().lower() for s in secrets if s.strip()}
        self.operational: set[str] = set()
        self.binary: set[str] = set()
        self.secret: set[str] = set()
        self.references: set[str] = set()
        types: dict[str, Matching] = {}
        #: all names and the number of an attribute, lower case, by each of them
        self._called: dict[str, frozenset[str]] = {}
        attributes: dict[str, AttributeSpec] = {}
        for oid in self._raw.listall(AttributeType):
            found = self._raw.get_inheritedobj(
                AttributeType, oid, ["equality", "syntax", "usage", "single_value"]
            )
            called = frozenset({*(n.lower() for n in found.names), oid.lower()})
            self._called |= dict.fromkeys(called, called)
            for name in found.names:
                if found.usage and name not in SET_BY_PEOPLE:
                    self.operational.add(name.lower())
                    continue
                spec = self._spec(found, name)
                attributes[name] = spec
                if spec.matching != "fold":
                    types[name.lower()] = spec.matching
        self.model = Schema(
            kinds=self._kinds(),
            attributes=attributes,
            names=NameRule(fold=True, types=dict(sorted(types.items()))),
            notation=DistinguishedNames(base),
            options=";",
        )

    def _spec(self, found: AttributeType, name: str) -> AttributeSpec:
        low = name.lower()
        if low in self._secrets:
            self.secret.add(low)
        if found.syntax in _DN_SYNTAXES:
            self.references.add(low)
        if found.syntax in _BINARY_SYNTAXES:
            self.binary.add(low)
        # the letter case of other values is kept by the server, and people do mind it
        return AttributeSpec(
            shape="single" if found.single_value else "set",
            fold=found.syntax in _DN_SYNTAXES,
            matching=_matching(found),
            reference=found.syntax in _DN_SYNTAXES,
            secret=low in self._secrets,
            read_only=bool(found.no_user_mod),
            replace_only=not found.equality,
        )

    def _kinds(self) -> dict[str, Kind]:
        kinds = {}
        for oid in self._raw.listall(ObjectClass):
            found = self._raw.get_obj(ObjectClass, oid)
            if found.kind != 0 or not found.names:  # structural classes only
                continue
            name = found.names[0]
            label, icon = _LABELS.get(name, (_words(name), "box"))
            kinds[name] = Kind(name, label, icon, required=frozenset(self._required(found)))
        return kinds

    def aliases(self, name: str) -> frozenset[str]:
        """Return all that an attribute is called, lower case."""
        low = name.lower()
        return self._called.get(low, frozenset({low}))

    def is_secret(self, name: str) -> bool:
        """Tell whether values of an attribute, with whatever options, are secret."""
        return name.partition(";")[0].lower() in self.secret

    def _required(self, found: ObjectClass) -> set[str]:
        names = {self._first_name(name) for name in found.must}
        for above in found.sup:
            parent = self._raw.get_obj(ObjectClass, above)
            if parent is not None:
                names |= self._required(parent)
        return names

    def _first_name(self, name: str) -> str:
        """Return what the server calls an attribute in entries, of all its names."""
        found = self._raw.get_obj(AttributeType, name)
        return found.names[0] if found is not None and found.names else name

    def structural(self, classes: list[str]) -> str:
        """Return the most derived structural class of an entry."""
        key = tuple(classes)
        if key not in self._structural:
            self._structural[key] = self._most_derived(classes)
        return self._structural[key]

    def _most_derived(self, classes: list[str]) -> str:
        known = [c for c in classes if c in self.model.kinds]
        above = {s for c in known if (f := self._raw.get_obj(ObjectClass, c)) for s in f.sup}
        lowest = [c for c in known if c not in above]
        return (lowest or known or classes or ["top"])[-1]

    def allowed(self, classes: Iterable[str]) -> set[str] | None:
        """Return the attributes entries of these classes may have, lower case; None: any."""
        key = tuple(classes)
        if key not in self._allowed:
            self._allowed[key] = self._allowed_by(key)
        return self._allowed[key]

    def _allowed_by(self, classes: tuple[str, ...]) -> set[str] | None:
        names: set[str] = set()
        for name in classes:
            if self._raw.get_obj(ObjectClass, name) is None:
                continue
            must, may = self._raw.attribute_types([name])
            for found in (*must.values(), *may.values()):
                names |= {n.lower() for n in found.names}
            if name.lower() == "extensibleobject":
                return None
        return names

    def knows_class(self, name: str) -> bool:
        """Tell whether the server's schema has an object class."""
        return self._raw.get_obj(ObjectClass, name) is not None


_MATCHING: dict[str, Matching] = {
    "caseignorematch": "fold",
    "caseignoreia5match": "fold",
    "caseignorelistmatch": "fold",
    "distinguishednamematch": "fold",
    "uniquemembermatch": "fold",
    "objectidentifiermatch": "fold",
    "booleanmatch": "fold",
    "caseexactmatch": "exact",
    "caseexactia5match": "exact",
    "telephonenumbermatch": "bare",
    "numericstringmatch": "digits",
    "integermatch": "decimal",
    "generalizedtimematch": "time",
}


def _matching(found: AttributeType) -> Matching:
    """Return when two values are the same (RFC 4517, section 4.2); letter by letter if unknown."""
    return _MATCHING.get((found.equality or "").lower(), "literal")


def _words(name: str) -> str:
    return re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name).lower()
