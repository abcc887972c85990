"""Pictures of the finished surface as the view shows it, without a browser."""
