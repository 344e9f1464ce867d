"""Test sets from logs of real questions: what was asked, how often, and the places in the documents that answer it."""
