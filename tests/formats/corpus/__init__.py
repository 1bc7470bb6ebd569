"""Files as they are found on hosts: made up, in all formats, with the habits of those who write them.

A file is a list of pieces, so that one file can be written with and without some of its changes:
what picking one change must give is then the same file with the other changes alone.
"""

from dataclasses import dataclass, field, replace

from hypothesis import strategies as st

WORDS = ["tide", "chiller", "reef", "pump-2", "ray_tank", "skimmer", "kelp", "night", "feeder"]
TEXTS = ["0.5", "7", "0644", "yes", "on", "lagoon", "10.20.0.4", "a b", "C:\\reef", "ä°", "50 %"]


@dataclass(frozen=True)
class Piece:
    """Some lines of a file that belong together.

    path: the part they are; None for comments and blank lines. changed: what they become.
    """

    text: str
    path: tuple[str, ...] | None = None
    changed: str = ""


@dataclass(frozen=True)
class File:
    """A file of a format.

    ends, mark: how its lines end, and what it begins with. joint, around: what stands between its
    pieces, before and after them. notes: of comments, the numbers of the pieces they are about.
    """

    format: str
    pieces: tuple[Piece, ...]
    ends: str = "\n"
    mark: str = ""
    final: bool = True
    joint: str = ""
    around: tuple[str, str] = ("", "")
    notes: dict[int, int] = field(default_factory=dict)

    def written(self, changes: dict[int, str]) -> str:
        """Write the file with some pieces changed or dropped."""
        kept = []
        gone = {n for n, how in changes.items() if how.startswith("drop")}
        bare = {n for n, how in changes.items() if how == "drop with comment"}
        for number, piece in enumerate(self.pieces):
            if number in gone or self.notes.get(number) in bare:
                continue
            kept.append(piece.changed if changes.get(number) == "change" else piece.text)
        body = self.joint.join(kept)
        text = self.around[0] + body + self.around[1]
        if not self.final:
            text = text.removesuffix("\n")
        return self.mark + text.replace("\n", self.ends)


def _habits(draw: st.DrawFn, file: File) -> File:
    return replace(
        file,
        ends=draw(st.sampled_from(["\n", "\n", "\r\n"])),
        mark=draw(st.sampled_from(["", "", "\ufeff"])),
        final=draw(st.booleans()),
    )


def _names(draw: st.DrawFn, least: int = 1, most: int = 5) -> list[str]:
    return draw(st.lists(st.sampled_from(WORDS), min_size=least, max_size=most, unique=True))


def _two(draw: st.DrawFn, values: list[str]) -> tuple[str, str]:
    one, two = draw(st.lists(st.sampled_from(values), min_size=2, max_size=2, unique=True))
    return one, two


class _Making:
    """Pieces so far; comments are noted with what they are about."""

    def __init__(self, draw: st.DrawFn, comment: str = "#") -> None:
        self.draw, self.sign = draw, comment
        self.pieces: list[Piece] = []
        self.notes: dict[int, int] = {}

    def add(self, piece: Piece, indent: str = "") -> None:
        before = self.draw(st.sampled_from(["", "", "comment", "blank"]))
        if before == "comment":
            number = self.draw(st.integers(0, 99))
            self.notes[len(self.pieces)] = len(self.pieces) + 1
            self.pieces.append(Piece(f"{indent}{self.sign} about {piece.path} {number}\n"))
        elif before == "blank":
            self.pieces.append(Piece("\n"))
        self.pieces.append(piece)

    def file(self, name: str, **more: object) -> File:
        return File(name, tuple(self.pieces), notes=self.notes, **more)  # type: ignore[arg-type]


@st.composite
def ini(draw: st.DrawFn) -> File:
    making = _Making(draw, draw(st.sampled_from(["#", ";"])))
    indent = draw(st.sampled_from(["", "   ", "\t"]))
    sign = draw(st.sampled_from([" = ", "=", ": "]))
    for section in _names(draw, 1, 3):
        making.pieces.append(Piece(f"[{section}]\n"))
        for key in _names(draw):
            path = (section, key)
            how = draw(st.sampled_from(["plain", "plain", "long", "empty"]))
            one, two = _two(draw, TEXTS)
            if how == "long":
                going_on = f"\n{indent}    more of {one}\n"
                texts = f"{one},{going_on}", f"{two},{going_on}"
            else:
                texts = ("" if how == "empty" else one) + "\n", f"{two}\n"
            making.add(
                Piece(f"{indent}{key}{sign}{texts[0]}", path, f"{indent}{key}{sign}{texts[1]}"),
                indent,
            )
        making.pieces.append(Piece(draw(st.sampled_from(["", "\n"]))))
    return _habits(draw, making.file("ini"))


@st.composite
def settings(draw: st.DrawFn) -> File:
    making = _Making(draw)
    for key in _names(draw):
        times = draw(st.integers(1, 3))
        values = draw(
            st.lists(st.sampled_from(TEXTS), min_size=2 * times, max_size=2 * times, unique=True)
        )
        for n in range(times):
            key_name = key.replace("-", "_")
            making.add(
                Piece(f"{key_name} {values[n]}\n", (key_name,), f"{key_name} {values[times + n]}\n")
            )
    order = draw(st.booleans())
    if order and not making.notes:  # keys that are repeated stand among others
        making.pieces = draw(st.permutations(making.pieces))
    return _habits(draw, making.file("conf"))


SSH = {
    "PermitRootLogin": ["no", "yes", "prohibit-password"],
    "X11Forwarding": ["no", "yes"],
    "PasswordAuthentication": ["no", "yes"],
    "MaxAuthTries": ["3", "6", "2"],
    "AllowTcpForwarding": ["no", "yes", "local"],
    "Banner": ["none", "/etc/reef", "/etc/kelp"],
}


@st.composite
def ssh(draw: st.DrawFn) -> File:
    making = _Making(draw)
    users = draw(st.lists(st.sampled_from(["diver", "keeper", "vet"]), max_size=3, unique=True))
    for block in ["", *users]:
        above: tuple[str, ...] = (f"Match User {block}",) if block else ()
        if block:
            making.pieces.append(Piece(f"Match User {block}\n"))
        keys = draw(st.lists(st.sampled_from(sorted(SSH)), min_size=1, max_size=4, unique=True))
        for key in keys:
            one, two = _two(draw, SSH[key])
            indent = "    " if block else ""
            making.add(
                Piece(f"{indent}{key} {one}\n", (*above, key.lower()), f"{indent}{key} {two}\n"),
                indent,
            )
    return _habits(draw, making.file("ssh"))


YAML_VALUES = ["443", '"1.2"', "yes", "'yes'", "0644", "~", "[a, b]", "{cpu: 2, mem: 1}", "5.50", "&x 7",
               "*ref", "a#b", "|\n{i}  two\n{i}  lines", "\n{i}  - a\n{i}  - b: 1\n{i}    c: 2"]  # fmt: skip


def _yaml(making: _Making, draw: st.DrawFn, above: tuple[str, ...], indent: str, step: str) -> None:
    for key in _names(draw, 1, 4):
        path = (*above, key)
        if len(above) < 2 and draw(st.sampled_from([False, False, True])):
            making.pieces.append(Piece(f"{indent}{key}:\n"))
            _yaml(making, draw, path, indent + step, step)
            continue
        one, two = _two(draw, YAML_VALUES)
        if "cpu" in one + two:
            one, two = "{cpu: 2, mem: 1}", "{cpu: 3, mem: 1}"
            path = (*path, "cpu")
        texts = [
            f"{indent}{key}:{'' if v.startswith(chr(10)) else ' '}{v.replace('{i}', indent)}\n"
            for v in (one, two)
        ]
        making.add(Piece(texts[0], path, texts[1]), indent)


@st.composite
def yaml(draw: st.DrawFn) -> File:
    making = _Making(draw)
    making.pieces.append(Piece("first: &ref [1, 2]\n"))
    _yaml(making, draw, (), "", draw(st.sampled_from(["  ", "    "])))
    return _habits(draw, making.file("yaml"))


TOML_VALUES = ["5", "2.50", '"lagoon"', "true", "1", "1.0", "2026-03-01", '"2026-03-01"', "0xFF",
               "[1, 2]", '[\n  "ph", # acid\n  "temp",\n]', "{ low = 1, high = 2 }", "'C:\\reef'"]  # fmt: skip


@st.composite
def toml(draw: st.DrawFn) -> File:
    making = _Making(draw)
    for table in ["", *_names(draw, 0, 3)]:
        if table:
            making.pieces.append(Piece(f"[{table}]\n"))
        for key in _names(draw):
            path = (table, f"k-{key}") if table else (f"k-{key}",)
            one, two = _two(draw, TOML_VALUES)
            end = draw(st.sampled_from(["", " # end"])) if "\n" not in one + two else ""
            making.add(Piece(f"k-{key} = {one}{end}\n", path, f"k-{key} = {two}{end}\n"))
    return _habits(draw, making.file("toml"))


JSON_VALUES = ["5", "2.50", "1", "1.0", "true", '"1"', "null", "1e3", '"ph \\u00e4"', "[1,  2]",
               "123456789012345678901234567890", "0.10000000000000000001", '{"low": 1}', '{ }']  # fmt: skip


@st.composite
def json(draw: st.DrawFn) -> File:
    values = [v for v in JSON_VALUES if not v.startswith("{")]
    indent = draw(st.sampled_from(["", " ", "\n  ", "\n\t"]))
    pieces = []
    for key in _names(draw, 2, 6):
        one, two = _two(draw, values)
        pieces.append(Piece(f'"{key}": {one}', (key,), f'"{key}": {two}'))
    end = "\n" if "\n" in indent else ""
    file = File("json", tuple(pieces), joint="," + indent, around=("{" + indent, end + "}\n"))
    return _habits(draw, file)


@st.composite
def xml(draw: st.DrawFn) -> File:
    making = _Making(draw)
    making.sign = "<!--"
    pieces = []
    for key in _names(draw, 1, 6):
        one, two = _two(draw, ["8.4", "Größe", "a &amp; b", "off", "0644"])
        if draw(st.booleans()):
            pieces.append(Piece(f"  <!-- about {key} -->\n"))
        if draw(st.booleans()):
            pieces.append(Piece(f"  <{key}>{one}</{key}>\n", (key,), f"  <{key}>{two}</{key}>\n"))
        else:
            attribute = f'  <{key} a="1" b="{{}}"/>\n'
            pieces.append(Piece(attribute.format(one), (key, "@b"), attribute.format(two)))
    around = ("<?xml version='1.0'?>\n<rules>\n", "</rules>\n")
    return _habits(draw, File("xml", tuple(pieces), around=around))


FILES = {"ini": ini(), "conf": settings(), "ssh": ssh(), "yaml": yaml(), "toml": toml(),
         "json": json(), "xml": xml()}  # fmt: skip
