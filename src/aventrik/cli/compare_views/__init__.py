"""What `compare` shows."""
