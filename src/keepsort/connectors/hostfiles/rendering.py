"""A step as the operations of SFTP that carry it out."""

from posixpath import basename, dirname

from keepsort.connectors.hostfiles.choosing import Command, shown
from keepsort.core.compare.sequences import unified
from keepsort.core.model.masks import masked
from keepsort.core.plan import Step


def rendered(step: Step, where: str, to: str, command: Command | None, size: int | None) -> str:
    """Write a step as operations, one a line, and what differs in a text as a unified diff.

    size: how many bytes are written; None where that is not known.
    """
    if step.action == "move":
        return f"posix-rename  {where}\n           -> {to}"
    if step.action == "delete":
        return f"{'rmdir' if step.kind == 'folder' else 'remove'}  {where}"
    before, after = step.before or {}, step.after or {}
    lines = []
    new = f"{dirname(where).rstrip('/')}/.{basename(where)}.keepsort-….new"
    mode = after.get("mode", "")
    owner = f"{after.get('owner', '')}:{after.get('group', '')}"
    if step.kind == "folder":
        lines.append(f"mkdir  {where}" if step.action == "create" else f"# folder {where}")
    elif step.kind == "link":
        lines += [f"symlink  {new} -> {after.get('target')}", f"posix-rename  {new} -> {where}"]
    elif before.get("text") == after.get("text") and "text" in before:
        lines.append(f"# the text of {where} stays as it is")
    else:
        many = "its bytes" if size is None else f"{size} bytes"
        lines += [f"open  {new}  create, exclusive", f"write  {many}", "fsync"]
    if step.kind != "link":
        lines.append(f"setstat  mode {mode}, owner {owner}")
    if step.kind not in ("link", "folder") and before.get("text") != after.get("text"):
        if command is not None and command.check:
            lines.append("exec  " + shown(command.check).replace("{}", new))
        lines += [f"read  {where}  must be as expected", f"posix-rename  {new} -> {where}"]
    if command is not None and command.apply:
        lines.append("exec  " + shown(command.apply) + "  once, at the end")
    written = "\n".join(lines)
    if "text" in after and before.get("text") != after["text"]:
        one, two = str(before.get("text", "")), str(after["text"])
        old = masked(one, [two] if one else ()).splitlines(keepends=True)
        diff = unified(old, masked(two).splitlines(keepends=True))
        written += "\n\n" + diff.replace("--- backup", "--- live").replace("+++ live", "+++ new", 1)
    return written
