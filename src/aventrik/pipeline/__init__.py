"""The chain as data: stages, their keys and records, and the functions that they are."""
