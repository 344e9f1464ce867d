"""What others are handed: tables in common formats."""
