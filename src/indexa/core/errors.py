"""The errors of the core: one base, a stable code each, the facts as attributes."""


class CoreError(Exception):
    """Something the core refuses. Its text says what, where, and what to do."""

    code = "core"


class ModelFileError(CoreError):
    """A model file that can't be read, with the place of the first thing wrong in it."""

    code = "model-file.unreadable"
