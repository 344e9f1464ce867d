"""What `explain` and `ask` show."""
