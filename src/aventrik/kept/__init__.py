"""What runs keep, and how it is read back."""
