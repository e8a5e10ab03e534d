"""From models to the scripts that make them on a server: types, names, statements and their order."""
