"""What undo knows of what is said about objects."""

from indexa.changes.targets import PlainField, TargetKind, register

ASSIGNMENT = "assignment"

register(TargetKind(ASSIGNMENT, "Value", {"value": PlainField("Value", "aspect_assignment", "value")}))
