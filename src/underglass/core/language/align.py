"""Two programs laid side by side: which lines are the same, which changed, which stand in one alone."""

from __future__ import annotations

import re
from collections.abc import Sequence
from difflib import SequenceMatcher
from typing import Literal, NamedTuple

from underglass.core.language.block import read_block

Kind = Literal["same", "changed", "only-a", "only-b"]


class Row(NamedTuple):
    """Lines from 0; None where the one program has nothing beside the other's line."""

    a: int | None
    b: int | None
    kind: Kind


def meaning(text: str) -> str:
    """A line without what a control does not care for: block number, comments, spaces, case, noughts at a number's end.

    A decimal point stays where it was: there are controls to which it matters.
    """
    block = read_block(text, 1)
    if block.problems or block.arithmetic:
        return re.sub(r"[ \t]", "", re.sub(r"\([^()]*\)|;.*", "", text)).upper()
    words = []
    for word in block.words:
        if word.letter == "N":
            continue
        number = re.sub(r"[ \t+]", "", word.text[1:])
        sign, bare = ("-", number[1:]) if number.startswith("-") else ("", number)
        whole, dot, part = bare.partition(".")
        part = part.rstrip("0")
        whole = whole.lstrip("0") or "0"
        sign = "" if whole == "0" and not part else sign
        words.append(f"{word.letter}{sign}{whole}{dot}{part}")
    return ("/" if block.skip else "") + ("%" if block.tape_mark else "") + "".join(words)


def aligned(a: Sequence[str], b: Sequence[str], by_meaning: bool = False) -> list[Row]:
    """Every line of both, in order, the same ones beside each other; changed ones beside each other where they can be."""
    key_a = [meaning(t) for t in a] if by_meaning else list(a)
    key_b = [meaning(t) for t in b] if by_meaning else list(b)
    head = 0
    while head < min(len(a), len(b)) and key_a[head] == key_b[head]:
        head += 1
    tail = 0
    while tail < min(len(a), len(b)) - head and key_a[-1 - tail] == key_b[-1 - tail]:
        tail += 1
    out = [Row(k, k, "same") for k in range(head)]
    end_a, end_b = len(a) - tail, len(b) - tail
    for tag, i0, i1, j0, j1 in SequenceMatcher(None, key_a[head:end_a], key_b[head:end_b]).get_opcodes():
        i, j = i0 + head, j0 + head
        if tag == "equal":
            out += [Row(i + k, j + k, "same") for k in range(i1 - i0)]
            continue
        both = min(i1 - i0, j1 - j0)
        out += [Row(i + k, j + k, "changed") for k in range(both)]
        out += [Row(k, None, "only-a") for k in range(i + both, i1 + head)]
        out += [Row(None, k, "only-b") for k in range(j + both, j1 + head)]
    out += [Row(end_a + k, end_b + k, "same") for k in range(tail)]
    return out


def differing(a: str, b: str) -> tuple[list[tuple[int, int]], list[tuple[int, int]]]:
    """The stretches (start, end) of two lines that differ."""
    left, right = [], []
    for tag, i0, i1, j0, j1 in SequenceMatcher(None, a, b, autojunk=False).get_opcodes():
        if tag != "equal":
            if i1 > i0:
                left.append((i0, i1))
            if j1 > j0:
                right.append((j0, j1))
    return left, right


def groups(rows: Sequence[Row]) -> list[tuple[int, int]]:
    """(first, last) row of each run of rows that are not the same."""
    out: list[tuple[int, int]] = []
    for k, row in enumerate(rows):
        if row.kind == "same":
            continue
        if out and out[-1][1] == k - 1:
            out[-1] = (out[-1][0], k)
        else:
            out.append((k, k))
    return out
