"""Findings as text, JSON, SARIF 2.1.0 and JUnit, for people and for build pipelines."""

from __future__ import annotations

import json
import re
from collections.abc import Callable, Sequence
from typing import Any
from xml.sax.saxutils import escape, quoteattr

from indexa.core.checks.structure import BY_ID
from indexa.core.naming.checking import RULES, Finding

_LEVELS = {"note": "note", "warning": "warning", "error": "error"}
_NOT_IN_XML = re.compile("[^\t\n\r\x20-\ud7ff\ue000-\ufffd\U00010000-\U0010ffff]")


def _rules(findings: Sequence[Finding]) -> dict[str, str]:
    """Return what each rule asks: those of names, and those of structure that something was found by."""
    return RULES | {one.rule: BY_ID[one.rule].asks for one in findings if one.rule not in RULES}


def lines_of(script: str) -> Callable[[Finding], int]:
    """Return what tells the line on which a script says the name of a finding: behind its table's name, where it has one."""
    words: dict[str, list[int]] = {}
    for number, text in enumerate(script.split("\n"), 1):
        for word in re.findall(r"[\w$#]+", text):
            words.setdefault(word.lower(), []).append(number)

    def line_of(finding: Finding) -> int:
        tables = words.get(finding.table.lower(), [1])
        found = words.get(finding.name.lower(), [])
        return next((number for number in found if number >= tables[0]), tables[0])

    return line_of


def as_text(findings: Sequence[Finding], source: str, line: Callable[[Finding], int] | None = None) -> str:
    """One finding a line, grouped by rule, and how many there are."""
    text = []
    for rule in dict.fromkeys(one.rule for one in findings):
        of_rule = [one for one in findings if one.rule == rule]
        text.append(f"{rule} ({len(of_rule):,}): {_rules(findings)[rule]}")
        for one in of_rule:
            place = f"{source}:{line(one)}: {one.place}" if line else one.place
            should = f" → {one.should}" if one.should else ""
            text.append(f"  {one.severity}: {place}: {one.why}{should}")
    counted = {severity: sum(one.severity == severity for one in findings) for severity in ("error", "warning", "note")}
    text.append(
        "No findings."
        if not findings
        else ", ".join(
            f"{count:,} {severity}{'s' if count != 1 else ''}" for severity, count in counted.items() if count
        )
    )
    return "\n".join(text) + "\n"


def as_json(findings: Sequence[Finding], source: str, line: Callable[[Finding], int] | None = None) -> str:
    """All that is known of each finding."""
    records = [
        {
            "rule": one.rule,
            "severity": one.severity,
            "kind": one.kind,
            "place": one.place,
            "name": one.name,
            "why": one.why,
            "should": one.should,
            "fingerprint": one.fingerprint,
        }
        | ({"line": line(one)} if line else {})
        for one in findings
    ]
    return json.dumps({"source": source, "findings": records}, ensure_ascii=False, indent=2) + "\n"


def as_sarif(findings: Sequence[Finding], source: str, line: Callable[[Finding], int] | None = None) -> str:
    """Static analysis results, version 2.1.0, as code review services read them."""
    rules = list(_rules(findings))
    results = []
    for one in findings:
        physical: dict[str, Any] = {"artifactLocation": {"uri": source.replace("\\", "/")}}
        if line:
            physical["region"] = {"startLine": line(one)}
        results.append(
            {
                "ruleId": _id(one.rule),
                "ruleIndex": rules.index(one.rule),
                "level": _LEVELS[one.severity],
                "message": {"text": f"{one.place}: {one.why}" + (f" It should be {one.should}." if one.should else "")},
                "locations": [
                    {
                        "physicalLocation": physical,
                        "logicalLocations": [{"fullyQualifiedName": one.place, "kind": one.kind}],
                    }
                ],
                "partialFingerprints": {"name/v1": one.fingerprint},
            }
        )
    driver = {
        "name": "Indexa",
        "rules": [
            {"id": _id(rule), "name": rule, "shortDescription": {"text": asks}}
            for rule, asks in _rules(findings).items()
        ],
    }
    report = {
        "$schema": "https://json.schemastore.org/sarif-2.1.0.json",
        "version": "2.1.0",
        "runs": [{"tool": {"driver": driver}, "results": results, "columnKind": "unicodeCodePoints"}],
    }
    return json.dumps(report, ensure_ascii=False, indent=2) + "\n"


def as_junit(findings: Sequence[Finding], source: str, line: Callable[[Finding], int] | None = None) -> str:
    """One test case a rule; a rule that something speaks against has failed."""
    text = []
    failed = 0
    for rule, asks in _rules(findings).items():
        of_rule = [one for one in findings if one.rule == rule]
        name = f'<testcase classname="naming" name={quoteattr(rule)}'
        if not of_rule:
            text.append(f"    {name}/>")
            continue
        failed += 1
        where = "\n".join(
            (f"{source}:{line(one)}: " if line else "")
            + f"{one.place}: {one.why}"
            + (f" → {one.should}" if one.should else "")
            for one in of_rule
        )
        failure = f"<failure message={quoteattr(f'{len(of_rule)} names. {asks}')}>{escape(_NOT_IN_XML.sub('?', where))}</failure>"
        text.append(f"    {name}>\n      {failure}\n    </testcase>")
    counts = f'tests="{len(_rules(findings))}" failures="{failed}"'
    body = "\n".join(text)
    suite = f"  <testsuite name={quoteattr(f'naming of {source}')} {counts}>\n{body}\n  </testsuite>"
    return f'<?xml version="1.0" encoding="UTF-8"?>\n<testsuites {counts}>\n{suite}\n</testsuites>\n'


def _id(rule: str) -> str:
    return "naming/" + rule.replace(" ", "-")


FORMATS = {"text": as_text, "json": as_json, "sarif": as_sarif, "junit": as_junit}
