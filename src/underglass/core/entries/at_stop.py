"""What stands the same in every trade's ``[[at_stop]]``: which stop, a note, and the table of what is corrected there."""

from __future__ import annotations

from underglass.core.entries.checked import Table


def stop_entry(entry: Table) -> tuple[int, str, list[tuple[str, Table]]]:
    """(the stop's number, the note, what is named in ``add`` with the table that holds it). Raises the entry's own error."""
    stop = entry.whole("stop", least=1)
    if stop is None:
        raise entry.bad("stop", "say which stop of the run is meant: 1 is the first M0 or M1 that it meets")
    note = entry.text("note", "") or ""
    add = entry.table("add")
    return stop, note, [(name, add) for name in add.names()] if add is not None else []
