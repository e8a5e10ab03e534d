"""The one error of the adapters: a source that could not be reached or read, in plain words."""


class SourceError(Exception):
    """A source could not be reached or read. `code` is stable; `hint` says what to do."""

    def __init__(self, code: str, message: str, hint: str) -> None:
        super().__init__(message)
        self.code, self.message, self.hint = code, message, hint
        self.add_note(hint)  # a traceback in a log shows it too
