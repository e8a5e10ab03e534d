"""What a model does not declare: keys, relationships and the parts that tables play, as proposals with evidence."""
