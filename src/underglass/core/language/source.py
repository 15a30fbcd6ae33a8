"""Bytes of a program file, and the text in them.

Nothing is thrown away: ``raw`` is what the file held, and an unedited program is saved as exactly that.
"""

from __future__ import annotations

import codecs
import re
from collections.abc import Sequence
from dataclasses import dataclass

_LINE_END = re.compile(r"\r\n|\n|\r")

# Bytes that no program holds in earnest. Tab, line feed, vertical tab, form feed, carriage return and the
# tape reader's XON/XOFF (0x11, 0x13) and Ctrl+Z (0x1a, the old end-of-file mark) do turn up in real files.
_NOT_TEXT = bytes(b for b in range(32) if b not in b"\t\n\v\f\r\x11\x13\x1a")
_SAMPLE = 65536
_MARKS = ((codecs.BOM_UTF8, "utf-8"), (codecs.BOM_UTF16_LE, "utf-16-le"), (codecs.BOM_UTF16_BE, "utf-16-be"))
"""Byte order marks and the encodings they announce."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Source:
    """A program as read. ``lines`` are without their ends; ``is_text`` is False for a picture, an archive and the like.

    ``raw`` is the file's own bytes, empty for what never was a file.
    """

    name: str
    raw: bytes
    encoding: str
    newline: str
    lines: tuple[str, ...]
    is_text: bool
    mark: bytes = b""
    """The byte order mark that the file begins with; kept, and no part of the text."""

    @property
    def text(self) -> str:
        """The text with the line ends that it came with; decoded anew at each call."""
        if not self.raw:
            return "\n".join(self.lines)
        return self.raw[len(self.mark) :].decode(self.encoding, "surrogatepass")

    def encoded(self, text: str) -> bytes:
        """``text`` with its line ends as they are, as bytes in this file's encoding; in UTF-8 where that cannot hold it."""
        try:
            return self.mark + text.encode(self.encoding)
        except UnicodeEncodeError:
            return text.encode("utf-8", "surrogatepass")


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
    """Any bytes as a source: UTF-8 or UTF-16 by its mark, UTF-8 where it is that, else a byte a character (ISO 8859-1)."""
    mark, encoding = next((m for m in _MARKS if raw.startswith(m[0])), (b"", "utf-8"))
    try:
        text = raw[len(mark) :].decode(encoding)
    except UnicodeDecodeError:
        mark, encoding = b"", "latin-1"
        text = raw.decode("latin-1")
    crlf = text.count("\r\n")
    bare = text.count("\n") - crlf
    if crlf > bare:
        newline = "\r\n"
    elif bare == 0 and text.count("\r") > crlf:
        newline = "\r"
    else:
        newline = "\n"
    is_text = encoding.startswith("utf-16") or looks_like_text(raw)
    return Source(
        name=name,
        raw=raw,
        encoding=encoding,
        newline=newline,
        lines=split_lines(text) if is_text else (),
        is_text=is_text,
        mark=mark,
    )


def read_text(text: str, name: str = "") -> Source:
    """Text that never was a file (typed, or made by an operation) as a source."""
    return Source(
        name=name,
        raw=text.encode("utf-8", "surrogatepass"),
        encoding="utf-8",
        newline="\n",
        lines=split_lines(text),
        is_text=True,
    )


def read_lines(lines: Sequence[str], name: str = "") -> Source:
    """Lines of an editor, the last one empty where the text ends with a line end, as a source."""
    kept = tuple(lines[:-1] if lines and not lines[-1] else lines)
    return Source(name=name, raw=b"", encoding="utf-8", newline="\n", lines=kept, is_text=True)
