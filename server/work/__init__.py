"""Doing the jobs: the keeper's processes, and what each kind of job does. Nothing below it knows it."""
