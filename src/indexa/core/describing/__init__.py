"""What people say about tables and columns beside their words: owners, classifications, fields of their own."""
