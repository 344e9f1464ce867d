"""Test sets: drafted from documents, located from logs, and held against real questions."""
