"""What can be wrong with a request about diagrams."""


class DiagramError(Exception):
    """Something that can't be done to a diagram; the message says why and what to do."""
