"""Objects as one document of JSON (RFC 8259), YAML (1.2, core schema) or TOML (1.0).

All three hold the same: the head of the manifest, and a list of objects as in the archive.
"""

import re
import tomllib
from collections.abc import Iterator
from typing import IO, Any

import msgspec
import tomli_w
import yaml

from keepsort.core.model import Value
from keepsort.files.exported import TOLD, Batch, LeftOut, Line, Manifest, plain
from keepsort.files.json_lines import checked, understood
from keepsort.files.opened import BadFile, Opened
from keepsort.files.plain_values import NoValue, without_null

FORMAT = "keepsort-objects"
#: A document is read as a whole, so it must fit: YAML and TOML take most room and time.
MOST_BYTES = {"json": 256 << 20, "yaml": 16 << 20, "toml": 16 << 20}
_MOST_DEEP = 100
_HEAD = ("format", "version", *TOLD)


class Document(Manifest, kw_only=True):
    """A document: the head of the manifest, and the objects."""

    objects: list[Line] = []  # type: ignore[assignment]
    left_out: list[str] = []


def _head(batch: Batch) -> dict[str, Any]:
    manifest = msgspec.structs.replace(batch.manifest, format=FORMAT, version=1)
    told = msgspec.to_builtins(manifest)
    names = (*_HEAD, "branches", *(("sealing",) if manifest.sealing else ()))
    return {name: told[name] for name in names}


def _tail(left_out: LeftOut) -> dict[str, Any]:
    """Return what is known when all objects are written."""
    return {"secrets": msgspec.to_builtins([*left_out.secrets, *left_out.sealed])}


def write_json(out: IO[bytes], batch: Batch) -> int:
    """Write one JSON document; return how many objects it holds."""
    head = msgspec.json.format(msgspec.json.encode(_head(batch)), indent=1)
    out.write(head.removesuffix(b"\n}") + b',\n "objects": [')
    count = 0
    for line in batch.lines:
        out.write((b",\n  " if count else b"\n  ") + msgspec.json.encode(plain(line)))
        count += 1
    tail = msgspec.json.encode(_tail(batch.left_out))[1:]
    out.write(b"\n ],\n " + tail + b"\n")
    return count


def write_yaml(out: IO[bytes], batch: Batch) -> int:
    """Write one YAML document; return how many objects it holds."""
    out.write(b"# Objects of a configuration, kept by Keep Sort.\n")
    out.write(_yaml(_head(batch)) + b"objects:\n")
    count = 0
    for line in batch.lines:
        out.write(_yaml([msgspec.to_builtins(plain(line))]))
        count += 1
    if not count:
        out.write(b"  []\n")
    out.write(_yaml(_tail(batch.left_out)))
    return count


def write_toml(out: IO[bytes], batch: Batch) -> int:
    """Write one TOML document; return how many objects it holds."""
    out.write(b"# Objects of a configuration, kept by Keep Sort.\n")
    head = _head(batch)
    sealing = head.pop("sealing", None)
    out.write(_toml(head))
    if sealing:
        out.write(_toml({"sealing": sealing}))
    count = 0
    for line in batch.lines:
        told = {k: without_null(v) for k, v in msgspec.to_builtins(plain(line)).items()}
        facts = told.pop("facts", {})
        attributes = told.pop("attributes", {})
        out.write(b"\n[[objects]]\n" + _toml(told))
        for name, values in (("attributes", attributes), ("facts", facts)):
            if values:
                rows = (f"{_toml_key(k)} = {_toml_value(v)}\n" for k, v in values.items())
                out.write(f"[objects.{name}]\n".encode() + "".join(rows).encode())
        count += 1
    for place, name in _tail(batch.left_out)["secrets"]:
        out.write(f"# a secret: {place} {name}\n".encode("utf-8", "backslashreplace"))
    return count


def _toml(value: dict[str, Any]) -> bytes:
    return tomli_w.dumps(value).encode()


def _toml_key(name: str) -> str:
    return tomli_w.dumps({name: 0}).rpartition(" = ")[0]


def _toml_value(value: Value) -> str:
    """Write a value on its own line; maps within it stay within braces."""
    if isinstance(value, dict):
        inner = (f"{_toml_key(k)} = {_toml_value(v)}" for k, v in value.items())
        return "{ " + ", ".join(inner) + " }" if value else "{}"
    if isinstance(value, list):
        return "[" + ", ".join(map(_toml_value, value)) + "]"
    return tomli_w.dumps({"x": value}).partition(" = ")[2].rstrip("\n")


def read_json(file: IO[bytes]) -> Opened:
    """Open a JSON document. Raises `BadFile`."""
    raw = _whole(file, "json")
    decode = msgspec.json.Decoder(Document).decode
    try:
        found = understood(raw.removeprefix(b"\xef\xbb\xbf"), decode)
    except NoValue as error:
        raise BadFile(f"{_where(raw, str(error))}.") from None
    return _opened(found)


def read_yaml(file: IO[bytes]) -> Opened:
    """Open a YAML document; aliases are refused, since they let a short file be a large one."""
    raw = _whole(file, "yaml")
    try:
        depth = 0
        for event in yaml.parse(raw, Loader=yaml.CSafeLoader):
            line = event.start_mark.line + 1 if event.start_mark else 1
            if isinstance(event, yaml.AliasEvent):
                raise BadFile(f"line {line}: aliases are not used here.")
            depth += isinstance(event, yaml.CollectionStartEvent)
            depth -= isinstance(event, yaml.CollectionEndEvent)
            if depth > _MOST_DEEP:
                raise BadFile(f"line {line}: it is nested too deep.")
        found = yaml.load(raw, Loader=_Core)  # noqa: S506 - a safe loader, with fewer types
    except yaml.YAMLError as error:
        raise BadFile(_yaml_error(error)) from None
    except (RecursionError, ValueError) as error:
        if isinstance(error, BadFile):
            raise
        raise BadFile(f"{error}.") from None
    return _converted(found)


def read_toml(file: IO[bytes]) -> Opened:
    """Open a TOML document."""
    raw = _whole(file, "toml")
    try:
        found = tomllib.loads(raw.decode("utf-8-sig"))
    except RecursionError:
        raise BadFile("It is nested too deep.") from None
    except ValueError as error:  # of TOML, of UTF-8, and of numbers with too many digits
        raise BadFile(f"{error}.") from None
    return _converted(found)


def _whole(file: IO[bytes], form: str) -> bytes:
    raw = file.read(MOST_BYTES[form] + 1)
    if len(raw) > MOST_BYTES[form]:
        raise BadFile(
            f"It is longer than {MOST_BYTES[form] >> 20} MiB, which is the most that is read of "
            f"{form.upper()}; the archive and the key text have no such bound."
        )
    return raw


def _converted(found: Any) -> Opened:
    try:
        return _opened(msgspec.convert(found, Document))
    except msgspec.ValidationError as error:
        raise BadFile(f"It is no list of objects: {error}.") from None


def _opened(found: Document) -> Opened:
    if (found.format, found.version) != (FORMAT, 1):
        raise BadFile(
            f"It is {found.format or 'something else'}, version {found.version}; what can be read "
            f"is {FORMAT}, version 1."
        )
    names = [name for name in Manifest.__struct_fields__ if name != "objects"]
    manifest = Manifest(**{name: getattr(found, name) for name in names})

    def lines() -> Iterator[Line]:
        for number, line in enumerate(found.objects, 1):
            try:
                yield checked(line)
            except NoValue as error:
                raise BadFile(f"object {number}, {'/'.join(line.path)}: {error}.") from None

    return Opened(manifest, lines())


def _where(raw: bytes, told: str) -> str:
    """Add the line to an error that names a byte."""
    found = re.search(r"\(byte (\d+)\)", told)
    if found is None:
        return told
    line = raw.count(b"\n", 0, int(found[1])) + 1
    return f"line {line}: {told}"


def _yaml_error(error: yaml.YAMLError) -> str:
    mark = getattr(error, "problem_mark", None)
    told = getattr(error, "problem", None) or str(error).splitlines()[0]
    return f"line {mark.line + 1}: {told}." if mark else f"It is no YAML: {told}."


_RESOLVERS: list[tuple[str, str, str]] = [  # YAML 1.2.2, section 10.3.2
    ("null", r"~|null|Null|NULL|", "~nN\0"),
    ("bool", r"true|True|TRUE|false|False|FALSE", "tTfF"),
    ("int", r"[-+]?[0-9]+|0o[0-7]+|0x[0-9a-fA-F]+", "-+0123456789"),
    ("float", r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?", "-+0123456789."),
]


class _Core(yaml.CSafeLoader):
    """Reads the core schema only, and no key twice."""

    yaml_implicit_resolvers: dict[str, Any] = {}

    def construct_mapping(self, node: Any, deep: bool = False) -> dict[Any, Any]:
        """Build a map. Raises where a key comes twice, or is no text."""
        found = super().construct_mapping(node, deep=True)
        if len(found) != len(node.value) or not all(isinstance(key, str) for key in found):
            raise yaml.constructor.ConstructorError(
                None, None, "a key comes twice, or is no text", node.start_mark
            )
        return found


class _Dumper(yaml.CSafeDumper):
    """Quotes all that either version of YAML would take for something else than a text."""

    yaml_implicit_resolvers = {
        k: list(v) for k, v in yaml.CSafeDumper.yaml_implicit_resolvers.items()
    }

    def ignore_aliases(self, data: Any) -> bool:
        """Write every value where it stands."""
        return True


for _tag, _pattern, _first in _RESOLVERS:
    for _kind in (_Core, _Dumper):
        _kind.add_implicit_resolver(
            f"tag:yaml.org,2002:{_tag}", re.compile(rf"^(?:{_pattern})$"),
            ["" if c == "\0" else c for c in _first],
        )  # fmt: skip


def _int(loader: Any, node: Any) -> int:
    text = str(node.value)
    return int(text, 0) if text[:2] in ("0x", "0o") else int(text)


_Core.add_constructor("tag:yaml.org,2002:int", _int)
_Core.add_constructor("tag:yaml.org,2002:float", lambda loader, node: float(node.value))


def _yaml(value: Any) -> bytes:
    found: bytes = yaml.dump(
        value, Dumper=_Dumper, encoding="utf-8", allow_unicode=True, sort_keys=False, width=100
    )
    return found
