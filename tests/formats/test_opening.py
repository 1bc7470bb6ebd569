"""Texts that mean harm cost their own opening, within bounds, and nothing else."""

import resource
import threading
import time

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from keepsort.core.plan import ABSENT, Edit, Unfit
from keepsort.formats import FORMATS, NotParsed, Place, opening
from tests.formats.corpus import FILES, File

_NESTED = "".join(
    f"{name}: &{name} [{', '.join(['*' + above] * 9) if above else 'x'}]\n"
    for above, name in zip(["", *"abcdefg"], "abcdefgh", strict=False)
)
HOSTILE = {
    "aliases in keys": ("yaml", f"{_NESTED}? *h\n: 1\n? [*g, *h]\n: *h\n"),
    "aliases": ("yaml", f"{_NESTED}last: *h\n"),
    "base 60": ("yaml", "a: " + "1:" * 20_000 + "1\n"),
    "empty number": ("yaml", 'a: !!int ""\nb: ' + "9" * 5000 + "\n"),
    "deep lists": ("yaml", "[" * 20_000),
    "deep maps": ("yaml", "a: " + "{a: " * 5000),
    "many anchors": ("yaml", "".join(f"k{n}: &a{n} {{x: *a{n - 1}}}\n" for n in range(1, 9000))),
    "spaces": ("ini", "[a]\nk" + " " * 200_000 + "x\n"),
    "spaces in a value": ("ini", "[a]\nk =" + " " * 100_000 + "x" + " " * 100_000 + "y\n"),
    "spaces between words": ("conf", "k" + " " * 200_000 + "x" + " " * 200_000 + "y\n"),
    "spaces in a block": ("ssh", "Match user" + " " * 200_000 + "x\n k v" + " " * 200_000 + "w\n"),
    "spaces in a header": ("toml", "[" + "a" + " " * 100_000 + "b\n"),
    "dotted keys": ("toml", ".".join(["a"] * 20_000) + " = 1\n"),
    "many dotted keys": ("toml", "".join(f"{'a.' * 60}k{n} = 1\n" for n in range(4000))),
    "long number": ("toml", "x = " + "9" * 5000 + "\n"),
    "one key again": ("toml", "".join(f'[[t]]\n"k" = {n}\n' for n in range(20_000))),
    "deep arrays": ("json", "[" * 100_000),
    "deep objects": ("json", '{"a":' * 100_000),
    "long digits": ("json", '{"a": ' + "9" * 100_000 + "}"),
    "elements": ("xml", "<a>" * 100_000),
    "entities": ("xml", '<!DOCTYPE a [<!ENTITY b "&c;&c;">]><a>&b;</a>'),
    "attributes": ("xml", "<a " + " ".join(f'x{n}="1"' for n in range(50_000)) + "/>"),
}  # fmt: skip


def _children() -> float:
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


@pytest.mark.parametrize("name", HOSTILE)
def test_a_hostile_text_is_bounded(name: str) -> None:
    kind, text = HOSTILE[name]
    opening._pool.end()  # what an older child has used would count when it ends
    before, own = _children(), time.process_time()
    try:
        found: object = opening.places(kind, text)
    except NotParsed as error:
        found = error
    assert isinstance(found, NotParsed | list)
    # what a child has used is known when it has ended; one that goes on has used less
    assert _children() - before < 6, "its own limit, and the start of the child"
    assert time.process_time() - own < 2, "this process had little to do with it"
    assert opening.places("yaml", "a: 1\n")[0].value == 1, "the next one is opened all the same"


def test_a_hostile_text_holds_up_nobody() -> None:
    def open_slowly() -> None:
        with pytest.raises(NotParsed):
            opening.places(*HOSTILE["dotted keys"])

    slow = threading.Thread(target=open_slowly)
    opening.places("yaml", "a: 1\n")
    slow.start()
    began = time.monotonic()
    for number in range(20):
        assert opening.places("yaml", f"a: {number}\n")[0].value == number
    assert slow.is_alive(), "it was still being tried"
    assert time.monotonic() - began < 1.8
    slow.join()


def test_an_edit_that_takes_too_much_is_refused() -> None:
    kind, text = HOSTILE["dotted keys"]
    with pytest.raises(Unfit, match="cannot be edited"):
        opening.edited(kind, text, text, [Edit(("a",), ABSENT)])


@settings(max_examples=60, deadline=None)
@given(st.sampled_from(sorted(FILES)).flatmap(lambda kind: FILES[kind]))
def test_the_child_says_what_the_reader_says(file: File) -> None:
    text = file.written({})
    assert opening._ask(opening.Request(file.format, text)).places == _said(file.format, text)


def _said(kind: str, text: str) -> list[Place] | None:
    try:
        return FORMATS[kind].places(text)
    except NotParsed:
        return None


_PIECES = st.sampled_from(
    ["[", "]", "{", "}", "<", ">", "&a ", "*a", "? ", ": ", "- ", "=", "\n", " ", "  ", '"', "'", "|",
     "#", "\\", ".", "a", "b", "1", "0x", "\t", "!!", "---\n", "</a>", "<!--", "%", "\r\n", "\ufeff", "é",
     "\u2028", "Match all\n", '"""', ",", "<<: "]
)  # fmt: skip


@settings(max_examples=400, deadline=2500, suppress_health_check=[HealthCheck.too_slow])
@given(st.sampled_from(sorted(FORMATS)), st.lists(_PIECES, max_size=60), st.integers(1, 400))
def test_any_text_is_opened_or_refused_in_time(kind: str, pieces: list[str], often: int) -> None:
    text = "".join(pieces) * (often if often % 7 == 0 else 1)
    try:
        places = opening.places(kind, text[:100_000])
    except NotParsed as refused:
        places = []
        told = (refused.line, refused.why)
    else:
        told = (1, "opened")
    assert told[0] >= 1
    assert told[1]
    assert all(place.path for place in places)
