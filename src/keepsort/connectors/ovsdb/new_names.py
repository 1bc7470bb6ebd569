"""What new rows are called: names of the switch's things are names of network devices."""

import uuid
from collections.abc import Callable, Sequence

from keepsort.connectors.ovsdb.rows import Rows, id_in
from keepsort.core.model import Path


def names_for(
    rows: Rows, places: Sequence[Path], taken: Callable[[Path], bool], longest: int | None
) -> list[str]:
    """Return names that no row has, whatever its table and place; at most `longest` letters.

    A bridge, its port and its interface have one name together, so these get the same new one.
    """
    live = {rows.name(id) for id in rows.row}
    found: list[str] = []
    for path in places:
        name, number = path[-1], 1
        id = id_in(name)
        if id is not None:
            if id in rows.row or taken(path):
                name = f"{name.removesuffix(id)}{uuid.uuid4()}"
            found.append(name)
            continue
        by_column = any(t.named_by for t in rows.tables.values()) and " " not in name
        while name in found or taken((*path[:-1], name)) or (by_column and name in live):
            number += 1
            end = f"-{number}" if by_column else f" {number}"
            room = longest - len(end) if by_column and longest else None
            name = f"{path[-1][:room]}{end}"
        found.append(name)
    return found
