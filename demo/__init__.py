"""Builders of the demo scenario: the invented gatehouse at Kestrel Weir. No outside files; the same bytes on every
run.
"""
