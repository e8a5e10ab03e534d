"""An edition in open formats, each written by its published rules; what a format can't carry is told."""
