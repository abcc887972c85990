"""Effects: what can happen to a surface, one file each."""
