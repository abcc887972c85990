"""Masks: where a layer is. A recipe is a list of terms: source, shaping, combine."""
