"""Reads SQL scripts into a Model: the state that the last statement leaves behind.

A statement that can't be understood is put on the receipt with its line and first words, and stops nothing.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from functools import partial
from itertools import pairwise

import msgspec

from indexa.core.collector import gc_paused
from indexa.core.errors import CoreError
from indexa.core.intake.choice import Choice
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.platforms import Tick
from indexa.core.scripts import comments
from indexa.core.scripts.batches import parts_of_batch, slice_of
from indexa.core.scripts.cursor import Cursor, NotUnderstoodError, worded
from indexa.core.scripts.dialect import Dialect
from indexa.core.scripts.finishing import finish
from indexa.core.scripts.indexes import plain_index
from indexa.core.scripts.known_columns import take_known_columns
from indexa.core.scripts.queries import settle_now
from indexa.core.scripts.splitting import Buffer, Piece, Splitter
from indexa.core.scripts.state import Script
from indexa.core.scripts.statements import HANDLERS
from indexa.core.scripts.tokens import Dead, Statement

LONGEST_STATEMENT = 16 * 1024 * 1024
"""A definition longer than this, in bytes, is left out; rows of data may be of any length."""
_TICK_EVERY = 500


class ScriptFile(msgspec.Struct):
    """One file of a script: its name for the receipt, its bytes, and the encoding it is in."""

    name: str
    content: Buffer
    encoding: str = "utf-8"


def read_scripts(
    files: Iterable[ScriptFile],
    dialect: Dialect,
    tick: Tick,
    name: str,
    *,
    choice: Choice | None = None,
    default_schema: str | None = None,
) -> tuple[Model, Receipt]:
    """Replay the files in their order and return the model at their end. Reads everything where no choice is given."""
    script = Script(name, dialect, default_schema)
    script.settle = partial(settle_now, script)
    listed = list(files)
    total = sum(len(file.content) for file in listed) or 1
    done = 0
    with gc_paused():
        for file in listed:
            reading = _FileReading(script, file, many=len(listed) > 1)
            reading.run(lambda at, before=done: tick("Reading statements", (before + at) * 100 // total, 101))  # type: ignore[misc]
            done += len(file.content)
        tick("Joining what belongs together", 100, 101)
        return finish(script, choice)


class _FileReading:
    def __init__(self, script: Script, file: ScriptFile, *, many: bool) -> None:
        self._script, self._file = script, file
        self._label = file.name if many else ""

    def run(self, report: Callable[[int], None]) -> None:
        """Take the file piece by piece."""
        content = self._file.content
        for count, piece in enumerate(Splitter(content, self._script.dialect).pieces()):
            if not count % _TICK_EVERY:
                report(piece.start)
            if piece.kind == "statement":
                self._statement(piece, content)
            elif piece.kind == "rows":
                self._script.statements["rows of data"] += 1
            else:
                self._command(content[piece.start : piece.end].decode(self._file.encoding, "replace"), piece.line)

    def _command(self, text: str, line: int) -> None:
        self._script.statements["client commands"] += 1
        words = text.split()
        if not words:
            return
        if words[0].lower() in (
            r"\i",
            r"\ir",
            r"\include",
            "source",
            "@",
            "@@",
            ":r",
            ".read",
            "start",
            "input",
            "in",
        ) or (words[0].startswith("@") and len(words[0]) > 2):
            self._script.note(
                "left out",
                "other files",
                "The script calls another file: hand it in as well, in its place.",
                f"{words[-1]}, line {line}",
            )
        elif words[0].lower() in (r"\connect", r"\c"):
            self._script.note(
                "adapted",
                "databases",
                "The script goes over to another database; all is read into one model.",
                f"line {line}",
            )

    def _statement(self, piece: Piece, content: Buffer) -> None:
        script = self._script
        if piece.end - piece.start > LONGEST_STATEMENT:
            self._lost(CoreError(f"longer than {LONGEST_STATEMENT // 1024 // 1024} MB"), "", piece.line)
            return
        text = self._text(content, piece.start, piece.end)
        if piece.unclosed:
            self._understand_all(
                Statement(text, script.dialect, self._label, piece.line, self._stretches(piece, content))
            )
            return
        if text[:4].upper() in ("COMM", "EXEC") and comments.plain_comment(script, text):
            return
        if text[:8].upper() in ("CREATE I", "CREATE U") and plain_index(script, text):
            return
        if _NOTHING_TO_READ.match(text):
            script.statements[text.split(None, 1)[0].upper()] += 1
            return
        text, known = take_known_columns(text, script)
        statement = Statement(text, script.dialect, self._label, piece.line)
        statement.known = known
        self._understand_all(statement)

    def _text(self, content: Buffer, start: int, end: int) -> str:
        text = content[start:end].decode(self._file.encoding, "replace")
        return text.replace("\r\n", "\n") if "\r" in text else text

    def _stretches(self, piece: Piece, content: Buffer) -> list[tuple[int, Dead]]:
        """Return from which letter of a statement on which kinds of quotes and comments are never closed."""
        stretches = [(0, piece.unclosed[0][1])]
        for (start, _), (end, dead) in pairwise(piece.unclosed):
            stretches.append((stretches[-1][0] + len(self._text(content, start, end)), dead))
        return stretches

    def _understand_all(self, statement: Statement) -> None:
        if self._script.dialect.bodies == "go" and not _WHOLE_BATCH.match(statement.text):
            for start, end in parts_of_batch(statement):
                self._understand(slice_of(statement, start, end))
        else:
            self._understand(statement)

    def _understand(self, statement: Statement) -> None:
        cursor = Cursor(statement)
        if cursor.end == 0:
            return
        word = cursor.now
        self._script.statements[word if word.isalpha() else "other"] += 1
        handler = HANDLERS.get(word)
        if handler is None:
            if word not in _SILENT:
                unknown = NotUnderstoodError("no statement that is known begins like this", 0)
                self._lost(unknown, statement.text, statement.line_of(0))
            return
        try:
            cursor.i = 1
            handler(cursor, self._script)
        except NotUnderstoodError as error:
            self._lost(error, statement.text, statement.line_of(min(error.place, cursor.end)))
        except (CoreError, IndexError, ValueError, RecursionError) as error:
            self._lost(error, statement.text, statement.line_of(0))

    def _lost(self, why: Exception, text: str, line: int) -> None:
        words = " ".join(text.split()[:8])[:80]
        place = f"{self._label}, line {line}" if self._label else f"line {line}"
        self._script.note("left out", "statements", f"{worded(why)}: {words}", place)


_NOTHING_TO_READ = re.compile(
    r"(?:GRANT|REVOKE|COMMIT|ROLLBACK|ANALYZE|VACUUM|TRUNCATE|PRINT|SHOW|EXPLAIN|CHECKPOINT|REINDEX)\b", re.I
)
_WHOLE_BATCH = re.compile(
    r"(?:CREATE|ALTER)\s+(?:OR\s+ALTER\s+)?(?:PROC|PROCEDURE|FUNCTION|TRIGGER|VIEW|SCHEMA)\b", re.I
)
_SILENT = frozenset(
    "CLOSE OPEN FETCH PRINT GRANT REVOKE TRUNCATE SHOW EXPLAIN ROLLBACK ANALYZE VACUUM REINDEX COMMIT".split()
) | frozenset(
    (
        "SELECT WITH DECLARE BEGIN END IF DO CALL GO COMMIT START SAVEPOINT RELEASE LOAD REFRESH NOTIFY LISTEN "
        "DENY RAISERROR THROW FLUSH RESET PRAGMA ATTACH DETACH COLLECT DBCC UPDATE INSERT DELETE MERGE ALLOW "
        "RETURN PREPARE EXECUTE DEALLOCATE OPTIMIZE CHECK ELSE WHILE CHECKPOINT KILL RECONFIGURE BACKUP RESTORE "
        "CONNECT DISCONNECT TERMINATE QUIT EXIT HELP DESCRIBE VALUES INITIALIZE UNLOAD COPY MSCK INSTALL IMPORT "
        "EXPORT PUT GET LIST REMOVE CLUSTER SECURITY REASSIGN LOCK UNLOCK PURGE AUDIT NOAUDIT ANALYSE "
        "TRY CATCH ASSOCIATE MODIFY DELIMITER CONSTRAINT UPSERT SIGNAL CONTINUE BREAK OUTPUT ) } ;"
    ).split()
)
