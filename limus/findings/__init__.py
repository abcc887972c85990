"""What is wrong, or likely to be, with a weathered surface: where, why it matters, and what mends it."""
