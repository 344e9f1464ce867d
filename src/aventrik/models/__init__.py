"""Connections to models: servers over HTTP, and models in a local folder. Knows only `core`."""
