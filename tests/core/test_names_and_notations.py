"""Names and paths: equal ones are equal however they are written, and what is written reads back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from keepsort.core.model import DistinguishedNames, NameRule, NamesIn, SlashPaths
from keepsort.core.model.notation import split_dn

BASE = "dc=kelpmoor,dc=example"
DN = DistinguishedNames(BASE)

values = st.text(
    st.characters(exclude_categories=["Cs"], exclude_characters="\0"), min_size=1, max_size=8
)
plain = values.filter(lambda v: v == " ".join(v.split()) and v.isprintable())


@given(st.lists(values, max_size=4))
def test_slash_paths_read_back(names: list[str]) -> None:
    assert SlashPaths().read(SlashPaths().write(tuple(names))) == tuple(names)


@given(st.lists(values, max_size=3), st.lists(values, max_size=4))
def test_bare_names_read_back(place: list[str], names: list[str]) -> None:
    notation = NamesIn(tuple(place))
    for path in (tuple(names), (*place, *names)):
        assert notation.read(notation.write(path)) == path
    one = (*place, "pump")
    assert notation.write(one) == "pump"
    assert notation.read("") is None


def escaped(value: str, hexed: bool) -> str:
    """Escape as servers do: specials by a backslash, or everything odd in hex."""
    if hexed:
        return "".join(
            c if c.isascii() and c.isalnum() else "".join(f"\\{b:02X}" for b in c.encode())
            for c in value
        )
    out = "".join("\\" + c if c in ',+"\\<>;' else c for c in value)
    return "\\" + out if out.startswith(("#", " ")) else out


@given(st.lists(plain, min_size=1, max_size=3))
def test_distinguished_names_read_alike_however_they_are_escaped(parts: list[str]) -> None:
    one = ",".join(f"cn={escaped(v, False)}" for v in parts) + "," + BASE
    two = " , ".join(f"cn={escaped(v, True)}" for v in parts) + ", DC=Kelpmoor,dc=example"
    path = DN.read(one)
    assert path is not None
    assert len(path) == len(parts)
    assert DN.read(two) == path
    assert DN.read(DN.write(path)) == path


@pytest.mark.parametrize(
    "text",
    ["", "kelpmoor", "cn=a", "cn=a,dc=other", "cn=a,,dc=kelpmoor,dc=example", "cn=a,dc=kelpmoor,dc=example,",
     "=a,dc=kelpmoor,dc=example"],
)  # fmt: skip
def test_what_is_no_name_beneath_the_base(text: str) -> None:
    assert DN.read(text) is None


def test_the_base_is_the_root() -> None:
    assert DN.read("DC=kelpmoor, dc=EXAMPLE") == ()
    assert DN.write(()) == BASE
    assert DN.write(("ou=divers", "cn=Imke")) == f"cn=Imke,ou=divers,{BASE}"
    assert split_dn("cn=a+sn=b\\+c,o=x") == ["cn=a+sn=b\\+c", "o=x"]


def test_names_compare_as_the_system_says() -> None:
    rule = NameRule(fold=True, exact_types=("automountkey",))
    assert rule.key("CN=Imke   Farrow") == rule.key("cn=imke farrow")
    assert rule.key("AutomountKey=/Reef") == "automountkey=/Reef"
    assert rule.key("automountKey=/Reef") != rule.key("automountKey=/reef")
    assert NameRule().key("Reef") == "Reef"
