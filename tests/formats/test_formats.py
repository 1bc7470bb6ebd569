"""Opening texts, and editing single parts of them."""

import json

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from keepsort.core.plan import ABSENT, Edit, Unfit
from keepsort.formats import FORMATS, NotParsed, edited

INI = """\
; feeding gateway
[poll]
every = 5
retries=3   ; not a comment for most readers
hosts = a
hosts = b

[alerts]
mail: keeper@kelpmoor.example
text = first
  and second
"""
CONF = """\
# time of the lagoon gateway
server ntp1.kelpmoor.example iburst
server ntp2.kelpmoor.example iburst
server ntp3.kelpmoor.example
# how far it may jump
makestep 1.0 3
rtcsync
"""
YAML = """\
# routes of the proxy
listen: 443   # tls
timeout: 30s
tls:
  min: "1.2"
  names: [tickets, tides]

routes:
  - path: /tickets
    to: 10.0.0.4
  - path: /tides
    to: 10.0.0.5
limits:
  rate:
    per_minute: 60
    burst: 10
"""
TOML = """\
# sensor gateway
name = "lagoon" # where

[poll]
every = 2.50
points = [
  "ph", # acid
  "temp",
]

[[sink]]
to = "a"

[[sink]]
to = "b"
"""
JSON = """{
  "name": "lagoon",
  "alarm": {"low": 4.50, "high": 18},
  "list": [1, 2]
}
"""
XML = """\
<?xml version="1.0"?>
<!-- rules -->
<rules version="2">
  <rule name="ph" level='warn'>
    <above>8.4</above>
    <text>Too high &amp; rising</text>
  </rule>
  <rule name="temp"/>
  <quiet>no</quiet>
</rules>
"""
TEXTS = {"ini": INI, "conf": CONF, "yaml": YAML, "toml": TOML, "json": JSON, "xml": XML}


def values(name: str, text: str) -> dict[tuple[str, ...], object]:
    return {p.path: p.value for p in FORMATS[name].places(text) if not p.section}


def edit(name: str, live: str, backup: str, *edits: Edit) -> str:
    return edited(FORMATS[name].places, live, backup, edits)


def test_what_each_format_holds() -> None:
    assert values("ini", INI) == {
        ("poll", "every"): "5",
        ("poll", "retries"): "3   ; not a comment for most readers",
        ("poll", "hosts"): ["a", "b"],
        ("alerts", "mail"): "keeper@kelpmoor.example",
        ("alerts", "text"): "first\nand second",
    }
    assert values("conf", CONF)[("server",)] == [
        "ntp1.kelpmoor.example iburst", "ntp2.kelpmoor.example iburst", "ntp3.kelpmoor.example",
    ]  # fmt: skip
    assert values("conf", CONF)[("rtcsync",)] == [""]
    assert values("yaml", YAML) == {
        ("listen",): 443,
        ("timeout",): "30s",
        ("tls", "min"): "1.2",
        ("tls", "names"): ["tickets", "tides"],
        ("routes",): [
            {"path": "/tickets", "to": "10.0.0.4"}, {"path": "/tides", "to": "10.0.0.5"},
        ],
        ("limits", "rate", "per_minute"): 60,
        ("limits", "rate", "burst"): 10,
    }  # fmt: skip
    assert values("toml", TOML) == {
        ("name",): "lagoon",
        ("poll", "every"): 2.5,
        ("poll", "points"): ["ph", "temp"],
        ("sink[1]", "to"): "a",
        ("sink[2]", "to"): "b",
    }
    assert values("json", JSON) == {
        ("name",): "lagoon",
        ("alarm", "low"): 4.5,
        ("alarm", "high"): 18,
        ("list",): [1, 2],
    }
    assert values("xml", XML) == {
        ("@version",): "2",
        ("rule[ph]", "@name"): "ph",
        ("rule[ph]", "@level"): "warn",
        ("rule[ph]", "above"): "8.4",
        ("rule[ph]", "text"): "Too high & rising",
        ("rule[temp]", "@name"): "temp",
        ("quiet",): "no",
    }


@pytest.mark.parametrize("name", TEXTS)
@pytest.mark.parametrize("line_end", ["\n", "\r\n"])
def test_each_part_can_be_taken_out_and_put_back(name: str, line_end: str) -> None:
    """Taking out one part changes nothing else; putting it back gives the same values."""
    text = TEXTS[name].replace("\n", line_end)
    places = FORMATS[name].places(text)
    for place in places:
        try:
            less = edit(name, text, text, Edit(place.path, ABSENT))
        except Unfit:
            assert place.path == ("sink[1]",) or place.path[-1] == "@name", "others are told by it"
            continue
        left = {p.path for p in FORMATS[name].places(less)}
        within = {p.path for p in places if p.path[: len(place.path)] == place.path}
        assert left == {p.path for p in places} - within
        puts = [Edit(p.path, p.value) for p in places if p.path in within]
        try:
            back = edit(name, less, text, *puts)
        except Unfit:
            told = "a section left empty is none; attributes need another; numbers tell sinks"
            assert name in ("yaml", "xml") or place.path == ("sink[2]",), told
            continue
        assert values(name, back) == values(name, text)
        same = [sorted(t.replace(",", " ").split()) for t in (back, text)]
        assert same[0] == same[1], "comments and all"


def test_setting_keeps_comments_and_writes_as_the_backup_does() -> None:
    live = YAML.replace("listen: 443 ", "listen: 8080 ").replace('"1.2"', "1.0")
    back = edit("yaml", live, YAML, Edit(("listen",), 443), Edit(("tls", "min"), "1.2"))
    assert back == YAML
    live = TOML.replace("2.50", "60 # quick test").replace("# sensor gateway", "# mine")
    assert edit("toml", live, TOML, Edit(("poll", "every"), 2.5)) == TOML.replace(
        "# sensor gateway", "# mine"
    ).replace("2.50", "2.50 # quick test")
    live = XML.replace("8.4", "9").replace("'warn'", "'off'")
    assert edit("xml", live, XML, Edit(("rule[ph]", "above"), "8.4")) == live.replace("9", "8.4")
    assert edit("xml", live, XML, Edit(("rule[ph]", "@level"), "warn")) == live.replace(
        "off", "warn"
    )
    live = INI.replace("and second", "and third").replace("every = 5", "every = 60")
    assert edit("ini", live, INI, Edit(("alerts", "text"), "first\nand second")) == INI.replace(
        "every = 5", "every = 60"
    )


def test_a_key_on_several_lines_goes_back_line_by_line() -> None:
    live = CONF.replace("server ntp1.kelpmoor.example iburst\n", "").replace(
        "server ntp3.kelpmoor.example\n", "# new\nserver time.invalid.example\n"
    )
    wanted = values("conf", CONF)[("server",)]
    assert edit("conf", live, CONF, Edit(("server",), wanted)) == CONF.replace(
        "server ntp3", "# new\nserver ntp3"
    )
    both = ["ntp1.kelpmoor.example iburst", "ntp2.kelpmoor.example iburst", "time.invalid.example"]
    assert edit("conf", live, CONF, Edit(("server",), both)) == live.replace(
        "server ntp2", "server ntp1.kelpmoor.example iburst\nserver ntp2"
    )


def test_a_section_that_is_gone_comes_back_where_it_was() -> None:
    live = INI.replace(INI[INI.index("[poll]") : INI.index("[alerts]")], "")
    assert edit("ini", live, INI, *(
        Edit(p.path, p.value) for p in FORMATS["ini"].places(INI) if p.path[0] == "poll"
    )) == INI.replace("b\n\n", "b\n")  # fmt: skip
    live = JSON.replace('  "alarm": {"low": 4.50, "high": 18},\n', "")
    back = edit("json", live, JSON, Edit(("alarm",), None), Edit(("alarm", "low"), 4.5))
    assert json.loads(back)["alarm"] == {"low": 4.5}, "only what of it was wanted"


def test_what_cannot_be_put_in_place_says_what_to_do() -> None:
    with pytest.raises(Unfit, match="does not parse"):
        edit("yaml", "a: [", YAML, Edit(("listen",), 443))
    live = YAML.replace("  - path: /tides\n    to: 10.0.0.5\n", "")
    with pytest.raises(Unfit, match="lines in the text"):
        edit("yaml", live, YAML, Edit(("routes",), [{"path": "/new"}]))
    assert edit("yaml", live, YAML, Edit(("routes",), values("yaml", YAML)[("routes",)])) == YAML
    anchored = "base: &b\n  x: 1\nuse: *b\n"
    with pytest.raises(Unfit, match="become different as well"):
        edit("yaml", anchored.replace("1", "2"), anchored, Edit(("base", "x"), 1))


@pytest.mark.parametrize(
    ("name", "text", "line"),
    [
        ("ini", "[a]\nx = 1\nno key\n", 3),
        ("ini", "[a]\nx = {\ny = 1\n", 2),
        ("ini", "[a]\nx = 1\n  y = 2\n", 3),
        ("conf", "location {\n", 1),
        ("yaml", "a: 1\nb: [\n", 3),
        ("yaml", "a: 1\na: 2\n", 2),
        ("yaml", "- 1\n", 1),
        ("toml", "a = 1\nb = \n", 2),
        ("json", '{"a": 1,\n "a": 2}', 2),
        ("json", "[]", 1),
        ("xml", "<a>\n<b></a>", 2),
        ("xml", "<!DOCTYPE a [<!ENTITY x 'y'>]>\n<a>&x;</a>", 1),
        ("yaml", "a: &a [x,x,x,x,x,x,x,x,x]\n" + "".join(
            f"{c}: &{c} [{','.join([f'*{p}'] * 9)}]\n" for p, c in zip("abcdef", "bcdefg", strict=True)
        ), None),
        ("json", '{"a": 1,\n "b": NaN}', None),
        ("json", '{"a":\n {"b": "\\ud800"}}', 2),
        ("json", '{"a":' * 5000 + "1" + "}" * 5000, None),
    ],
)  # fmt: skip
def test_where_a_text_does_not_parse(name: str, text: str, line: int | None) -> None:
    with pytest.raises(NotParsed) as found:
        FORMATS[name].places(text)
    assert line is None or found.value.line == line


def test_letters_of_more_than_one_byte_and_large_texts() -> None:
    xml = "<ä><b name='ü'>Größe</b><c>é</c></ä>"
    assert edit("xml", xml, xml.replace("é", "ö"), Edit(("c",), "ö")) == xml.replace("é", "ö")
    many = "".join(f"<k{n}>ä{n}</k{n}>\n" for n in range(20_000))
    assert len(FORMATS["xml"].places(f"<a>\n{many}</a>")) == 20_000
    many = "".join(f"k{n} = {n}\n" for n in range(5_000))
    assert len(FORMATS["toml"].places(f"[a]\n{many}")) == 5_001


words = st.text("abcxyz", min_size=1, max_size=3)
scalars = st.one_of(st.integers(-99, 99), st.booleans(), st.sampled_from(["on", "a b", "1.2", ""]))
trees = st.recursive(
    st.dictionaries(words, scalars, max_size=4),
    lambda inner: st.dictionaries(words, st.one_of(scalars, inner), max_size=4),
    max_leaves=8,
)


def written_yaml(tree: dict[str, object], indent: int = 0) -> str:
    out = ""
    for key, value in tree.items():
        out += " " * indent + f"# about {key}\n"
        if isinstance(value, dict) and value:
            out += " " * indent + f'"{key}":\n{written_yaml(value, indent + 2)}'
        else:
            out += " " * indent + f'"{key}": {json.dumps(value)}  # end\n'
    return out


@pytest.mark.parametrize("name", ["json", "yaml"])
@given(live=trees, backup=trees, data=st.data())
def test_any_parts_of_any_text(
    name: str, live: dict[str, object], backup: dict[str, object], data: st.DataObject
) -> None:
    """Whatever is picked is put in place and nothing else changes, or it is refused."""
    assume(live)
    write = written_yaml if name == "yaml" else lambda t: json.dumps(t, indent=1)
    a, b = write(live), write(backup)
    places = FORMATS[name].places
    there = {p.path: p for p in places(a)}
    origin = {p.path: p for p in places(b)} if backup else {}
    picked = data.draw(st.lists(st.sampled_from([*origin.values(), *there.values()]), max_size=4))
    edits = {
        p.path: Edit(p.path, origin[p.path].value if p.path in origin else ABSENT) for p in picked
    }
    try:
        result = edited(places, a, b, list(edits.values()))
    except Unfit:
        return
    now = {p.path: p.value for p in places(result)}
    for path, one in edits.items():
        assert now.get(path, ABSENT) == one.value
    for path, place in there.items():
        if not any(path[: len(e)] == e for e in edits):
            assert now[path] == place.value
    if not edits:
        assert result == a
