"""Names: taken apart into words, told in business words, made to a standard, checked against it."""
