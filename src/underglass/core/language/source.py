"""Bytes of a program file, and the text in them.

Nothing is thrown away: ``raw`` is what the file held, and an unedited program is saved as exactly that.
"""

from __future__ import annotations

import re
from dataclasses import dataclass

_LINE_END = re.compile(r"\r\n|\n|\r")

# Bytes that no program holds in earnest. Tab, line feed, vertical tab, form feed, carriage return and the
# tape reader's XON/XOFF (0x11, 0x13) and Ctrl+Z (0x1a, the old end-of-file mark) do turn up in real files.
_NOT_TEXT = bytes(b for b in range(32) if b not in b"\t\n\v\f\r\x11\x13\x1a")
_SAMPLE = 65536


@dataclass(frozen=True, slots=True)
class Source:
    """A program as read. ``lines`` are without their ends; ``is_text`` is False for a picture, an archive and the like."""

    name: str
    raw: bytes
    text: str
    encoding: str
    newline: str
    lines: tuple[str, ...]
    is_text: bool

    def encoded(self, text: str) -> bytes:
        """``text`` (line ends as ``\\n``) as bytes with this file's encoding and line ends."""
        ended = text.replace("\n", self.newline) if self.newline != "\n" else text
        try:
            return ended.encode(self.encoding)
        except UnicodeEncodeError:
            return ended.encode("utf-8")


def looks_like_text(raw: bytes) -> bool:
    """False where the bytes hold a NUL, or more than one in twenty is a control byte no program uses."""
    sample = raw[:_SAMPLE]
    if b"\0" in sample:
        return False
    odd = len(sample) - len(sample.translate(None, _NOT_TEXT))
    return odd * 20 <= len(sample)


def split_lines(text: str) -> tuple[str, ...]:
    """Lines without their ends. Only CR LF, LF and CR end a line; a last empty line is not one."""
    if "\r" in text:
        lines = _LINE_END.split(text)
    else:
        lines = text.split("\n")
    if lines and not lines[-1]:
        lines.pop()
    return tuple(lines)


def read_bytes(raw: bytes, name: str = "") -> Source:
    """Any bytes as a source: UTF-8 where they are that, else each byte a character (ISO 8859-1)."""
    encoding = "utf-8"
    try:
        text = raw.decode("utf-8")
    except UnicodeDecodeError:
        encoding = "latin-1"
        text = raw.decode("latin-1")
    crlf = text.count("\r\n")
    bare = text.count("\n") - crlf
    if crlf > bare:
        newline = "\r\n"
    elif bare == 0 and text.count("\r") > crlf:
        newline = "\r"
    else:
        newline = "\n"
    is_text = looks_like_text(raw)
    return Source(name, raw, text, encoding, newline, split_lines(text) if is_text else (), is_text)


def read_text(text: str, name: str = "") -> Source:
    """Text that never was a file (typed, or made by an operation) as a source."""
    return Source(name, text.encode("utf-8", "surrogatepass"), text, "utf-8", "\n", split_lines(text), True)
