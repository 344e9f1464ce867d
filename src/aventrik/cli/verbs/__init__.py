"""A module a verb: `HELP`, `arguments(parser)` and `run(options, screen)`, which returns the exit code."""
