"""What can't be done in reconciling."""


class ReconciliationError(Exception):
    """A decision or step that can't be taken; the message says why and what to do."""
