"""The own text of an edition, as sections."""

from __future__ import annotations

import re

from indexa.core.edition.parts import Section

_MOST_SECTIONS = 40
_HEAD = re.compile(r"^# +(.+)$", re.M)


def sections_of(text: str) -> list[Section]:
    """Return the sections of a text: level-1 headings begin them, what stands before the first is a preface."""
    pieces = _HEAD.split(text)
    found = [Section("Preface", pieces[0].strip())] if pieces[0].strip() else []
    titled = zip(pieces[1::2], pieces[2::2], strict=True)
    return (found + [Section(title.strip()[:160], body.strip()) for title, body in titled])[:_MOST_SECTIONS]
