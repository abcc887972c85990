"""Edits of a scene, each a command: a function from one document to the next.

A command checks what it was given and changes a ``Draft``; whatever it leaves is checked as a whole by
``document.scene``. Whoever makes edits (the page, the
command line, a test) goes through ``edit.edited``, so that there is one place for every rule.
"""
