"""Finds the entries that differ of pages that stand side by side, and decodes these alone."""

from collections.abc import Sequence, Set
from operator import ne

from keepsort.core.model import Path
from keepsort.core.snapshot import Node
from keepsort.core.snapshot.encoding import decode_entry
from keepsort.core.snapshot.reader import RawPage

#: For each page the numbers of some of its entries.
Numbers = list[Sequence[int]]
_NOTHING: frozenset[bytes] = frozenset()


def differing_entries(left: list[RawPage], right: list[RawPage]) -> tuple[Numbers, Numbers, bool]:
    """Return the entries beside which all is equal, where pages stand side by side.

    The last value tells whether entries may stand on both sides, only in other places.
    """
    if len(left) != len(right):
        return [range(len(page)) for _, page in left], [range(len(page)) for _, page in right], True
    lefts: Numbers = []
    rights: Numbers = []
    shifted = False
    for (_, ones), (_, twos) in zip(left, right, strict=True):
        differ = list(map(ne, ones, twos))
        if len(ones) == len(twos):
            numbers = [number for number, differs in enumerate(differ) if differs]
            lefts.append(numbers)
            rights.append(numbers)
            continue
        shifted = True
        start = differ.index(True) if True in differ else len(differ)
        end = 0
        while end < len(differ) - start and ones[-1 - end] == twos[-1 - end]:
            end += 1
        lefts.append(range(start, len(ones) - end))
        rights.append(range(start, len(twos) - end))
    return lefts, rights, shifted


def held(pages: list[RawPage], chosen: Numbers) -> set[bytes]:
    """Return the bytes of chosen entries of some pages."""
    return {
        bytes(page[number])
        for (_, page), numbers in zip(pages, chosen, strict=True)
        for number in numbers
    }


def decoded(
    path: Path, pages: list[RawPage], chosen: Numbers, others: Set[bytes]
) -> dict[str, Node]:
    """Decode those of the entries that the other side does not have, by their keys."""
    found = {}
    for (facts, entries), numbers in zip(pages, chosen, strict=True):
        for number in numbers:
            raw = bytes(entries[number])  # a copy, so as not to hold on to the whole page
            if raw in others:
                continue
            entry = decode_entry(raw)
            own = facts[number] if isinstance(facts, list) else facts
            found[entry.sort_key] = Node((*path, entry.name), entry, own, number)
    return found
