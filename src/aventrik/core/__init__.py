"""Computation only: nothing here prints, parses arguments, speaks SQL or opens a socket."""
