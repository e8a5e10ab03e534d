"""How undo brings a model back to an earlier state of its source."""

from indexa.changes.targets import register_state
from indexa.reconcile.readings import revert_state

register_state(revert_state)
