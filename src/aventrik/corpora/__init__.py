"""Documents gathered into a workspace: read, vetted, cut, surveyed, and what changed in them."""
