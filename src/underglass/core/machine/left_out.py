"""What a start in the middle of a program leaves out."""

from __future__ import annotations

from dataclasses import replace

from underglass.core.machine.stand import Stand
from underglass.core.proof.prove import prove
from underglass.core.proof.restart import restart


def left_out(stand: Stand, line: int) -> tuple[str, ...]:
    """In words, what would be in force in a run from the top and is not after a start in ``line``; empty where nothing is missing."""
    proof = prove(replace(stand.truth, registers=stand.job.registers), stand.source, cut=False)
    found = restart(proof, line)
    if not found.reached:
        return (f"all of it: the program never comes to line {line}",)
    return tuple(need.what for need in found.missing)
