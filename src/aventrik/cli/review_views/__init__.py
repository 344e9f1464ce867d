"""What `review` shows, and the screen on which a person decides."""
