"""Many deliveries from one sheet: a row each, on this machine or on many."""
