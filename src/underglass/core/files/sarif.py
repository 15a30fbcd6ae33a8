"""Findings as SARIF 2.1.0 (OASIS standard, from memory), which code-review tools read."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any
from urllib.parse import quote

from underglass import __version__
from underglass.core.files.report import finding_as_dict
from underglass.core.finding import CODES, Finding, Severity
from underglass.core.proof.proof import Proof

_LEVELS = {Severity.CRASH: "error", Severity.FAULT: "error", Severity.CAUTION: "warning", Severity.NOTE: "note"}


def results_of(proof: Proof) -> list[dict[str, Any]]:
    """A result a finding."""
    return [_result(proof, finding) for finding in proof.findings]


def as_sarif(proofs: Sequence[Proof]) -> dict[str, Any]:
    """One run of the tool over all jobs; every code is a rule, every finding a result."""
    return sarif_of([result for proof in proofs for result in results_of(proof)])


def sarif_of(results: Sequence[dict[str, Any]]) -> dict[str, Any]:
    """One run of the tool with these results."""
    codes = list(CODES)
    return {
        "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
        "version": "2.1.0",
        "runs": [
            {
                "tool": {
                    "driver": {
                        "name": "Under Glass",
                        "version": __version__,
                        "rules": [
                            {
                                "id": code,
                                "shortDescription": {"text": code.replace("-", " ")},
                                "defaultConfiguration": {"level": _LEVELS[CODES[code]]},
                            }
                            for code in codes
                        ],
                    }
                },
                "columnKind": "unicodeCodePoints",
                "results": [{**result, "ruleIndex": codes.index(result["ruleId"])} for result in results],
            }
        ],
    }


def _result(proof: Proof, finding: Finding) -> dict[str, Any]:
    whole = finding_as_dict(finding)
    return {
        "ruleId": finding.code,
        "level": _LEVELS[finding.severity],
        "message": {"text": f"{finding.message}. {finding.remedy[:1].upper()}{finding.remedy[1:]}."},
        "locations": [
            {
                "physicalLocation": {
                    "artifactLocation": {"uri": quote(proof.source.name)},
                    "region": {
                        "startLine": finding.line,
                        "startColumn": finding.column,
                        "endColumn": max(finding.end_column, finding.column + 1),
                    },
                }
            }
        ],
        "properties": {
            "severity": whole["severity"],
            "job": proof.job.title,
            "tool": whole["tool"],
            "time_s": whole["time_s"],
            "position": whole["position"],
            "evidence": whole["evidence"],
            **({"because": whole["because"]} if "because" in whole else {}),
        },
    }
