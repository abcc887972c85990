"""Materials: channels, base materials, colour."""
