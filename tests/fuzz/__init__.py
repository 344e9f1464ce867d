"""Anything at all through every door by which something comes in: told plainly, soon, and in bounded memory."""
