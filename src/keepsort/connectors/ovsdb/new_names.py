"""What new rows are called: names of the switch's things are names of network devices."""

import uuid
from collections.abc import Callable, Sequence

from keepsort.connectors.ovsdb.rows import Rows, id_in
from keepsort.core.model import Path
from keepsort.core.plan import counted


def names_for(
    rows: Rows, places: Sequence[Path], taken: Callable[[Path], bool], longest: int | None
) -> list[str]:
    """Return names that no row has, whatever its table and place; at most `longest` letters.

    A bridge, its port and its interface have one name together, so these get the same new one.
    """
    live = {rows.name(id) for id in rows.row}
    names_count = any(table.named_by for table in rows.tables.values())

    def is_taken(path: Path) -> bool:
        name, id = path[-1], id_in(path[-1])
        if id is not None:
            return id in rows.row or taken(path)
        return taken(path) or (names_count and " " not in name and name in live)

    def numbered(name: str, number: int) -> str:
        id = id_in(name)
        if id is not None:
            return f"{name.removesuffix(id)}{uuid.uuid4()}"
        if not names_count or " " in name:
            return f"{name} {number}"
        end = f"-{number}"
        return f"{name[: longest - len(end) if longest else None]}{end}"

    return counted(places, is_taken, numbered)
