"""Building models by hand: tables, columns, keys and relationships, with the keys that relationships bring along."""
