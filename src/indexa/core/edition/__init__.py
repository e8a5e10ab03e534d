"""What an edition holds, whatever form it is given: pages, documents, open formats; and what changed between two of them."""
