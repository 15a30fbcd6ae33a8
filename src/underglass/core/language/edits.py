"""Changes of a program's text that keep what it does: block numbers, spaces, case, comments.

Every function takes lines and gives as many lines back. A line that cannot be read whole is left as it is.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import accumulate

from underglass.core.language.block import Block, Word, read_block

Lines = Sequence[str]
_NUMBERED = re.compile(r"[Nn][ \t]*+[-+.0-9#\[]")
"""What looks like a block number, in a comment too: a text without any is not read to take them away."""


def _plain(block: Block) -> bool:
    """A line whose words stand where they can be taken apart and put together again."""
    return not block.problems and not block.arithmetic and not block.tape_mark


def _has_work(block: Block) -> bool:
    """A line that does something: words other than a number and a program's name, or arithmetic."""
    return bool(block.arithmetic or block.flow or any(w.letter not in "NO" for w in block.words))


# -- block numbers -----------------------------------------------------------------------------------------------------------


def _worked_out(blocks: Sequence[Block]) -> bool:
    """Whether any jump's number is worked out by arithmetic."""
    return any(b.flow is not None and b.flow.label is not None and b.flow.label.kind != "number" for b in blocks)


def _targets(blocks: Sequence[Block]) -> dict[int, list[int]]:
    """Where each N stands, by number."""
    out: dict[int, list[int]] = {}
    for k, block in enumerate(blocks):
        number = block.word("N")
        if number is not None and number.value == int(number.value):
            out.setdefault(int(number.value), []).append(k)
    return out


def _references(block: Block) -> list[tuple[int, int, int]]:
    """(start, end, number) of every block number that a line jumps to: GOTO's, and M99's P."""
    out = []
    if block.flow is not None and block.flow.label is not None and block.flow.label.kind == "number":
        label = block.flow.label
        out.append((label.start, label.end, round(label.value)))
    if any(w.letter == "M" and w.value == 99.0 for w in block.words):
        word = block.word("P")
        if word is not None and word.node is None:
            out.append((word.start, word.end, round(word.value)))
    return out


def _shared(blocks: Sequence[Block], targets: dict[int, list[int]]) -> set[int]:
    """Numbers that are jumped to and stand in more than one of the file's programs.

    Which of them a jump leads to depends on which program was called, so all of them keep one number together.
    """
    wanted = {number for block in blocks for _a, _b, number in _references(block)}
    program = list(accumulate(block.word("O") is not None for block in blocks))
    return {n for n in wanted & set(targets) if len({program[k] for k in targets[n]}) > 1}


def _meant(places: Sequence[int], at: int) -> int | None:
    """The block that a jump from line ``at`` leads to: the next one of that number, or the first from the top."""
    return next((k for k in places if k > at), places[0] if places else None)


def renumber(lines: Lines, start: int = 10, step: int = 10) -> tuple[str, ...]:
    """Number every block that does something; jumps follow the blocks they led to.

    Numbers rise from ``start`` by ``step``, past any that a jump asks for and no block has. With a jump worked out by
    arithmetic, which cannot be followed, nothing is changed.
    """
    blocks = [read_block(text, k + 1) for k, text in enumerate(lines)]
    if _worked_out(blocks):
        return tuple(lines)
    targets = _targets(blocks)
    nowhere = {number for block in blocks for _a, _b, number in _references(block) if number not in targets}
    shared = _shared(blocks, targets)
    together: dict[int, int] = {}
    numbers: dict[int, int] = {}
    following = start
    for k, block in enumerate(blocks):
        if _has_work(block) and not block.problems:
            word = block.word("N")
            old = int(word.value) if word is not None and word.value in shared else None
            if old in together:
                numbers[k] = together[old]
                continue
            while following in nowhere:
                following += step
            numbers[k] = following
            if old is not None:
                together[old] = following
            following += step
    out = []
    for k, (text, block) in enumerate(zip(lines, blocks)):
        changes: list[tuple[int, int, str]] = []
        for begin, end, number in _references(block):
            place = _meant(targets.get(number, []), k)
            if place in numbers:
                letter = "P" if text[begin : begin + 1].upper() == "P" else ""
                changes.append((begin, end, f"{letter}{numbers[place]}"))
        if k in numbers:
            word = block.word("N")
            if word is not None:
                changes.append((word.start, word.end, f"N{numbers[k]}"))
            else:
                first = re.match(r"[ \t]*+(?:/[ \t]*+[1-9]?+[ \t]*+)?+", text)
                at = first.end() if first else 0
                changes.append((at, at, f"N{numbers[k]} "))
        for begin, end, new in sorted(changes, reverse=True):
            text = text[:begin] + new + text[end:]
        out.append(text)
    return tuple(out)


def strip_numbers(lines: Lines) -> tuple[str, ...]:
    """Take the block numbers away, but for those that are jumped to."""
    if not any(map(_NUMBERED.search, lines)):
        return tuple(lines)
    blocks = [read_block(text, k + 1) for k, text in enumerate(lines)]
    targets = _targets(blocks)
    kept = {
        _meant(targets.get(number, []), k) for k, block in enumerate(blocks) for _a, _b, number in _references(block)
    }
    kept |= {k for n in _shared(blocks, targets) for k in targets[n]}
    worked_out = _worked_out(blocks)
    out = []
    for k, (text, block) in enumerate(zip(lines, blocks)):
        number = block.word("N")
        if number is None or k in kept or worked_out:
            out.append(text)
        else:
            out.append(text[: number.start] + text[number.end :].lstrip(" \t"))
    return tuple(out)


# -- looks -------------------------------------------------------------------------------------------------------------------


def _pieces(text: str, block: Block) -> tuple[str, list[tuple[int, str]]]:
    """(what stands before the first word, the words and comments in order)."""
    pieces = [(w.start, _tight(w)) for w in block.words] + [(r.start, r.text) for r in block.remarks]
    pieces.sort()
    before = text[: pieces[0][0]].strip() if pieces else text
    return before, pieces


def _tight(word: Word) -> str:
    return re.sub(r"[ \t]+", "", word.text)


def _looks(lines: Lines, between: str) -> tuple[str, ...]:
    out = []
    for k, text in enumerate(lines):
        block = read_block(text, k + 1)
        before, pieces = _pieces(text, block)
        if not _plain(block) or not pieces:
            out.append(text)
            continue
        words = [piece for _at, piece in pieces]
        out.append(before + (between if before and before[-1:].isdigit() else "") + between.join(words))
    return tuple(out)


def spaced(lines: Lines) -> tuple[str, ...]:
    """One space between words, none inside them."""
    return _looks(lines, " ")


def unspaced(lines: Lines) -> tuple[str, ...]:
    """No spaces but in comments."""
    return _looks(lines, "")


def in_case(lines: Lines, upper: bool = True) -> tuple[str, ...]:
    """Letters in upper or lower case, but for comments."""
    out = []
    for k, text in enumerate(lines):
        block = read_block(text, k + 1)
        made, at = "", 0
        for remark in sorted(block.remarks, key=lambda r: r.start):
            code = text[at : remark.start]
            made += (code.upper() if upper else code.lower()) + text[remark.start : remark.end]
            at = remark.end
        out.append(made + (text[at:].upper() if upper else text[at:].lower()))
    return tuple(out)


def toggle_comments(lines: Lines) -> tuple[str, ...]:
    """Lines that are not all comments become comments; lines that all are become text again. Empty ones stay."""
    full = [text for text in lines if text.strip()]
    all_comments = bool(full) and all(re.fullmatch(r"[ \t]*+(\([^()]*+\)|;.*)[ \t]*+", text) for text in full)
    out = []
    for text in lines:
        if not text.strip():
            out.append(text)
        elif all_comments:
            inner = text.strip()
            out.append(inner[1:-1] if inner.startswith("(") else inner[1:].lstrip())
        elif "(" in text or ")" in text:
            # Brackets do not nest in a program: such a line is made a comment by a semicolon.
            out.append(f"; {text}")
        else:
            out.append(f"({text})")
    return tuple(out)
