"""Names as DDL has them: quoted where the platform would take them for something else, and only there."""

from __future__ import annotations

import re
from functools import lru_cache

from indexa.core import platforms
from indexa.core.naming.limits import reserved

_PLAIN = re.compile(r"[A-Za-z_][A-Za-z0-9_]*")
_NEEDS_LETTER = frozenset({"oracle", "firebird", "db2"})
"""Platforms on which an unquoted name does not begin with an underscore."""
_MARKS = {"mysql": ("`", "`"), "bigquery": ("`", "`"), "sqlserver": ("[", "]")}


class Namer:
    """Writes names and texts of one platform.

    Names that are plain on the platform they come from stay plain, and are folded as the new one folds.
    """

    def __init__(self, platform: str, begin: str = "") -> None:
        self._platform = platform
        self._begin = platforms.dialect_of(begin) if begin != platform else None
        self._dialect = platforms.get(platform).dialect
        self._reserved = reserved(platform)
        self.quoted = lru_cache(maxsize=200_000)(self._quoted)

    def _quoted(self, name: str) -> str:
        """Return a name as a script has it."""
        is_plain = _PLAIN.fullmatch(name) is not None and name.lower() not in self._reserved
        if self._platform in _NEEDS_LETTER and name.startswith("_"):
            is_plain = False
        folds = self._dialect.fold_quoted or self._dialect.folded(name) == name
        if is_plain and (folds or (self._begin is not None and self._begin.folded(name) == name)):
            return name
        begin, end = _MARKS.get(self._platform, ('"', '"'))
        return f"{begin}{name.replace(end, end * 2)}{end}"

    def path(self, schema: str, name: str) -> str:
        """Return schema and name with a dot between them, or the name alone where there is no schema."""
        return f"{self.quoted(schema)}.{self.quoted(name)}" if schema else self.quoted(name)

    def listed(self, names: tuple[str, ...]) -> str:
        """Return names with commas between them."""
        return ", ".join(self.quoted(name) for name in names)

    def text(self, value: str) -> str:
        """Return a text as a literal."""
        if self._platform == "bigquery":
            escaped = value.replace("\\", "\\\\").replace("'", "\\'").replace("\n", "\\n").replace("\r", "\\r")
            return f"'{escaped}'"
        if self._platform == "mysql":
            value = value.replace("\\", "\\\\")
        return "'" + value.replace("'", "''") + "'"
