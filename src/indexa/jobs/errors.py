"""How a job can end other than well."""


class JobCancelledError(Exception):
    """Somebody cancelled the job; its transaction is rolled back."""


class JobFailedError(Exception):
    """The job can't be done. `hint` says what to do about it."""

    def __init__(self, reason: str, hint: str = "") -> None:
        super().__init__(reason)
        self.reason, self.hint = reason, hint
