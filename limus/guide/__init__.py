"""The guide: what everything is for, made from what each thing says of itself, with pictures on two bodies."""
