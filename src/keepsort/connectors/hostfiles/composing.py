"""How files hold sections and keys; the kinds of object a host has."""

from collections.abc import Iterator, Sequence

from keepsort.core.model import Attributes, AttributeSpec, ConfigObject, Kind, Path, Schema
from keepsort.core.plan import Edit, Plain, Unfit
from keepsort.formats import FORMATS, NotParsed, opening

_TEXT = AttributeSpec(shape="text", label="text")
_FIXED = {"renamable": False}

SCHEMA = Schema(
    kinds={
        "place": Kind("place", "place", icon="folder", implied=True, renamable=False),
        "folder": Kind("folder", "folder", icon="folder"),
        "link": Kind("link", "link", icon="link"),
        "text": Kind("text", "text file", icon="file"),
        "binary": Kind("binary", "file without text", icon="file"),
        **{
            name: Kind(name, found.label, icon="file", parts_in="text")
            for name, found in FORMATS.items()
        },
        "section": Kind("section", "section", icon="list", renamable=False),
        "entry": Kind("entry", "key", icon="key", renamable=False),
    },
    attributes={
        "text": _TEXT,
        "value": AttributeSpec(shape="sequence", label="value"),
        "mode": AttributeSpec(label="permissions"),
        "target": AttributeSpec(label="leads to"),
        "digest": AttributeSpec(label="SHA-256"),
        "bytes": AttributeSpec(label="size", unit="bytes"),
    },
)


def parts(kind: str, text: str) -> Iterator[tuple[Path, ConfigObject]]:
    """Yield what a text of a format holds, parents first. Raises `NotParsed`."""
    for place in opening.places(kind, text):
        if place.section:
            yield place.path, ConfigObject(name=place.path[-1], kind="section")
        else:
            attributes = {"value": place.value}
            yield place.path, ConfigObject(name=place.path[-1], kind="entry", attributes=attributes)


class FileComposer(Plain):
    """Opens and edits texts of files."""

    def parts(self, kind: str, attributes: Attributes) -> Iterator[tuple[Path, ConfigObject]]:
        """Yield sections and keys; nothing where the text does not parse."""
        try:
            yield from list(parts(kind, str(attributes.get("text", ""))))
        except NotParsed:
            return

    def edited(
        self, kind: str, live: Attributes, backup: Attributes, edits: Sequence[Edit]
    ) -> Attributes:
        """Return the live file with some keys as they should be, the rest of its text untouched."""
        if kind not in FORMATS or "text" not in live:
            raise Unfit("The live file is not kept as a text of this format. Pick all of it.")
        backup_text = str(backup.get("text", ""))
        text = opening.edited(kind, str(live["text"]), backup_text, edits)
        return {**live, "text": text}

    def settled(
        self, kind: str, live: Attributes, wanted: Attributes, backup: Attributes
    ) -> Attributes:
        """Return a file with one content, and the size that goes with it."""
        if "text" in wanted:
            return {n: v for n, v in wanted.items() if n not in ("bytes", "digest", "content")}
        if "content" in wanted:
            bare = {name: value for name, value in wanted.items() if name != "digest"}
            return {**bare, "bytes": len(wanted["content"])}
        if "digest" in wanted and wanted["digest"] == live.get("digest"):
            return {**wanted, "bytes": live.get("bytes")}
        return wanted


COMPOSER = FileComposer()
