"""Configurations applied to test sets: planned, run, raced, or brought from another system."""
