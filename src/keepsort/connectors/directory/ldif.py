"""LDIF change records (RFC 2849)."""

import base64
from collections.abc import Callable, Iterable

from keepsort.connectors.directory.changes import Modification

_SAFE_START = set(range(1, 128)) - {0x0A, 0x0D, 0x20, 0x3A, 0x3C}
_SAFE = set(range(1, 128)) - {0x0A, 0x0D}
_WIDTH = 76


def value_line(name: str, value: bytes) -> str:
    """Write one attrval-spec; base64 where the value is no SAFE-STRING (section 2)."""
    safe = not value or (
        value[0] in _SAFE_START and all(b in _SAFE for b in value) and value[-1] != 0x20
    )
    if safe:
        return _folded(f"{name}: {value.decode('ascii')}" if value else f"{name}:")
    return _folded(f"{name}:: {base64.b64encode(value).decode('ascii')}")


def add_record(
    dn: str, attributes: Iterable[tuple[str, list[bytes]]], masked: Callable[[str], bool]
) -> str:
    """Write a change record that adds an entry."""
    lines = [*_head(dn, "add")]
    for name, values in attributes:
        lines += _values(name, values, masked)
    return "\n".join(lines) + "\n"


def modify_record(
    dn: str, modifications: Iterable[Modification], masked: Callable[[str], bool]
) -> str:
    """Write a change record that modifies an entry."""
    lines = [*_head(dn, "modify")]
    for change in modifications:
        lines.append(f"{change.operation}: {change.attribute}")
        lines += _values(change.attribute, change.values, masked)
        lines.append("-")
    return "\n".join(lines) + "\n"


def rename_record(dn: str, rdn: str, superior: str, *, keeps_old: bool) -> str:
    """Write a change record that renames or moves an entry."""
    delete = f"deleteoldrdn: {0 if keeps_old else 1}"
    lines = [*_head(dn, "modrdn"), value_line("newrdn", rdn.encode()), delete]
    return "\n".join([*lines, value_line("newsuperior", superior.encode())]) + "\n"


def delete_record(dn: str) -> str:
    """Write a change record that deletes an entry."""
    return "\n".join(_head(dn, "delete")) + "\n"


def _head(dn: str, change: str) -> list[str]:
    return [value_line("dn", dn.encode()), f"changetype: {change}"]


def _values(name: str, values: list[bytes], masked: Callable[[str], bool]) -> list[str]:
    if masked(name):
        return [f"# {name}: a secret, not shown" for _ in values]
    return [value_line(name, value) for value in values]


def _folded(line: str) -> str:
    parts = [line[:_WIDTH]]
    parts += [" " + line[n : n + _WIDTH - 1] for n in range(_WIDTH, len(line), _WIDTH - 1)]
    return "\n".join(parts)
