"""Taking the finished object away."""
