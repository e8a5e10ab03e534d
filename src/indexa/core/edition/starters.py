"""Templates of editions to begin with: what each is for, and what it holds."""

from __future__ import annotations

import msgspec

from indexa.core.edition.parts import Contents


class Starter(msgspec.Struct, frozen=True):
    """A template: its name, what it is for, what goes in, and its own text, which level-1 headings part."""

    name: str
    purpose: str
    contents: Contents
    text: str = ""

    @property
    def slug(self) -> str:
        """Its name in commands."""
        return self.name.lower().replace(" ", "-")


REVIEW_OF_A_CHANGE = "Review of a change"
STARTERS = (
    Starter("Data dictionary", "Everything, for those who work with the data.", Contents()),
    Starter(
        "Audit",
        "What is agreed, for auditors: no drafts, nothing that nobody described.",
        Contents(undescribed=False, technical=False, comments=False, drafts=False),
        "# Purpose\n\nThis edition shows what the data means, who owns it and how it is classified, as signed off.\n",
    ),
    Starter(
        REVIEW_OF_A_CHANGE,
        "What changed, for those who sign a change: structure with its keys and indexes.",
        Contents(glossary=False, codes=False, stewardship=False),
        "# What is to be reviewed\n\nThe change script with its rehearsal, and *What changed* for every difference since the edition before.\n",
    ),
    Starter(
        "One-page overview",
        "Diagrams and terms, for those who are new.",
        Contents(tables=False, technical=False),
    ),
)
