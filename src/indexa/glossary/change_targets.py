"""What undo knows of terms, code lists, domains, and of what columns carry."""

from __future__ import annotations

from typing import Any

from indexa.changes.targets import TargetKind, register
from indexa.changes.whole_records import RecordField
from indexa.glossary.models import CodeList, Domain, Governed, Meaning, Rule, Term, record_of

KINDS: dict[Any, tuple[str, str]] = {
    Term: ("term", "Term"), CodeList: ("code_list", "Code list"), Domain: ("domain", "Domain"), Rule: ("rule", "Rule"),
    Governed: ("governed", "Rule of it"), Meaning: ("meaning", "What it carries"),
}  # fmt: skip
"""Target and label by kind of object."""

for _model, (_target, _label) in KINDS.items():
    register(TargetKind(_target, _label, {"record": RecordField(_label, _model.objects, record_of)}))
