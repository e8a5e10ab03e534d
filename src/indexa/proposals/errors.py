"""What can go wrong when proposals are decided."""


class ProposalError(Exception):
    """A decision that can't be taken; the message says why and what to do."""
