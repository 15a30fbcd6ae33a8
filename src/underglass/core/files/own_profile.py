"""A copy of a control's profile beside the job, with one word more that moves nothing."""

from __future__ import annotations

import re
from pathlib import Path

from underglass.core.data import data_folder
from underglass.core.errors import UnusableFile
from underglass.core.files import profiles
from underglass.core.reading import TEXT_BYTES, read_regular
from underglass.core.saving import write_whole

_TABLE = re.compile(r"^\[machine_words\][^\n]*\n", re.MULTILINE)


def add_machine_word(control: str, folder: Path, word: str) -> str:
    """Write the profile named ``control`` with ``word`` among its machine words; the name of the file that has it now.

    A shipped profile becomes a copy in ``folder``, one's own is changed where it lies. Raises ``UnusableFile`` or
    ``BadEntry``; nothing is changed then.
    """
    is_shipped = control in profiles.shipped("control")
    source = data_folder() / "profiles" / "control" / f"{control}.toml" if is_shipped else folder / control
    own = folder / f"own-{source.name}" if is_shipped else source
    if is_shipped and own.exists():
        source = own
    text = read_regular(source, TEXT_BYTES).decode("utf-8-sig", "replace").replace("\r\n", "\n")
    entry = f'{word if "." not in word else chr(34) + word + chr(34)} = "moves nothing"\n'
    if _TABLE.search(text):
        text = _TABLE.sub(lambda found: found[0] + entry, text, count=1)
    else:
        text = f"{text.rstrip()}\n\n[machine_words]\n{entry}"
    trial = own.with_name(f".{own.name}.trial")
    write_whole(trial, text.encode("utf-8"))
    try:
        profiles.read_control(trial)
    except UnusableFile:
        raise
    finally:
        trial.unlink(missing_ok=True)
    write_whole(own, text.encode("utf-8"))
    return own.name
