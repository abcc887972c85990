"""What is drawn by hand: strokes, what they lay down, and colours of vertices."""
