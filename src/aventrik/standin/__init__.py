"""A small simulated model server: it answers this tool's prompts through the offline model, and misbehaves on request."""
