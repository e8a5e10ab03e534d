"""Two states of one model: what differs, as values that a person decides, and the state that the decisions make."""
